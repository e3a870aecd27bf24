import type { Metadata } from 'next';
import Link from 'next/link';
import { connected, momentOf, type SearchParams } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { proofList } from '@/queries/runbooks';
import { exact, span, when } from '@/ui/format';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { Gauge } from '@/ui/gauge';
import { OutcomeMark } from '@/ui/glyph';

export const metadata: Metadata = { title: 'Proof' };

export default async function ProofPage({ searchParams }: { searchParams: SearchParams }) {
  const { db } = connected();
  const { asOfMs, isNow } = await momentOf(searchParams);
  const [{ proofs, never }, zone] = await Promise.all([proofList(db, asOfMs), displayZone(db)]);
  return (
    <>
      {!isNow && <AsOfBand />}
      <h1 style={{ padding: '12px 0 6px' }}>Proof</h1>
      <p className="plain" style={{ paddingBottom: 8 }}>
        {never.length > 0 ? (
          <>
            <b>{never.length}</b> applications never had a drill pass: {never.join(', ')}.
          </>
        ) : (
          'Every application had a drill pass.'
        )}
      </p>
      <table>
        <thead>
          <tr>
            <th>Drill</th>
            <th>Result</th>
            <th>Runbook</th>
            <th>Tier</th>
            <th className="r">Workloads</th>
            <th className="r">Data age (RPA)</th>
            <th className="r">Recovery time (RTA)</th>
            <th style={{ paddingLeft: 12 }}>of the RTO</th>
            <th>Record</th>
          </tr>
        </thead>
        <tbody>
          {proofs.map((p) => (
            <tr key={p.id}>
              <td title={exact(p.atMs, zone)}>{when(p.atMs, zone, asOfMs)}</td>
              <td>
                <OutcomeMark state={p.state} />
              </td>
              <td>{p.runbook}</td>
              <td>{p.tier}</td>
              <td className="r">{p.members}</td>
              <td className="r">{p.rpaMs === null ? '' : span(p.rpaMs)}</td>
              <td className="r">{p.rtaMs === null ? <span className="t2">not reached</span> : span(p.rtaMs)}</td>
              <td style={{ paddingLeft: 12 }}>{p.rtaMs !== null && <Gauge used={p.rtaMs / p.rtoMs} width={110} />}</td>
              <td>
                <Link href={`/drills/${p.id}`}>Proof {p.id}</Link>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
