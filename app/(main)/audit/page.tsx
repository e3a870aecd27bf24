import type { Metadata } from 'next';
import Link from 'next/link';
import { auditFilterOf } from '@/app/audit-filter';
import { connected, momentOf, one, type SearchParams } from '@/app/context';
import { auditChoices, auditTrail } from '@/queries/audit';
import { displayZone } from '@/queries/connect';
import { exact, when } from '@/ui/format';
import { AuditFilters } from '@/ui/audit/audit-filters';
import { AsOfBand } from '@/ui/frame/as-of-band';

export const metadata: Metadata = { title: 'Audit' };
const SHOWN = 100;

export default async function AuditPage({ searchParams }: { searchParams: SearchParams }) {
  const { db } = connected();
  const params = await searchParams;
  const { asOfMs, isNow } = await momentOf(searchParams);
  const filter = auditFilterOf((key) => one(params[key]), asOfMs);
  const [entries, choices, zone] = await Promise.all([
    auditTrail(db, filter, SHOWN),
    auditChoices(db),
    displayZone(db),
  ]);
  const last = entries.at(-1);
  const older = new URLSearchParams(
    Object.entries(params).flatMap(([k, v]) => (typeof v === 'string' ? [[k, v]] : [])),
  );
  if (last) older.set('before', String(last.id));
  return (
    <>
      {!isNow && <AsOfBand />}
      <h1 style={{ padding: '12px 0 6px' }}>Audit</h1>
      <AuditFilters {...choices} />
      {entries.length === 0 ? (
        <p className="t2">Nobody did anything that fits. Every change that a person or a token makes is listed here.</p>
      ) : (
        <table>
          <thead>
            <tr>
              <th>When</th>
              <th>Who</th>
              <th>Did</th>
              <th>To</th>
              <th>With</th>
            </tr>
          </thead>
          <tbody>
            {entries.map((e) => (
              <tr key={e.id}>
                <td title={exact(e.atMs, zone)}>{when(e.atMs, zone, asOfMs)}</td>
                <td>
                  {e.person}
                  {e.token && <span className="t2"> by token {e.token}</span>}
                </td>
                <td>{e.action}</td>
                <td>{e.subject}</td>
                <td className="t2">
                  {Object.entries(e.detail)
                    .map(
                      ([key, value]) => `${key} ${typeof value === 'object' ? JSON.stringify(value) : String(value)}`,
                    )
                    .join(', ')}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {entries.length === SHOWN && (
        <p style={{ padding: '8px 0' }}>
          <Link href={`/audit?${older}`}>Older entries</Link>
        </p>
      )}
    </>
  );
}
