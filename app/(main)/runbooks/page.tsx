import type { Metadata } from 'next';
import Link from 'next/link';
import { connected, momentOf, type SearchParams } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { runbookCards } from '@/queries/runbooks';
import { span, when } from '@/ui/format';
import { Gauge } from '@/ui/gauge';
import { OutcomeMark } from '@/ui/glyph';

export const metadata: Metadata = { title: 'Runbooks' };

export default async function RunbooksPage({ searchParams }: { searchParams: SearchParams }) {
  const { db } = connected();
  const { nowMs } = await momentOf(searchParams);
  const [cards, zone] = await Promise.all([runbookCards(db), displayZone(db)]);
  return (
    <>
      <h1 style={{ padding: '12px 0 6px' }}>Runbooks</h1>
      <table>
        <thead>
          <tr>
            <th>Runbook</th>
            <th>Application</th>
            <th>Tier</th>
            <th className="r">Workloads</th>
            <th>If lost</th>
            <th>Last drill</th>
            <th className="r">Recovery time</th>
            <th style={{ paddingLeft: 12 }}>of the RTO</th>
          </tr>
        </thead>
        <tbody>
          {cards.map((c) => (
            <tr key={c.id}>
              <td>
                <Link href={`/runbooks/${c.id}`}>
                  <b>{c.name}</b>
                </Link>
                {c.underWay && <span className="s-closing">, a drill is under way</span>}
              </td>
              <td>{c.application}</td>
              <td>{c.tier}</td>
              <td className="r">{c.members}</td>
              <td>{c.source}</td>
              <td>
                {c.lastDrill ? (
                  <Link href={`/drills/${c.lastDrill.id}`}>
                    <OutcomeMark state={c.lastDrill.state} /> {when(c.lastDrill.atMs, zone, nowMs)}
                  </Link>
                ) : (
                  <span className="t2">never drilled</span>
                )}
              </td>
              <td className="r">
                {c.lastDrill?.rtaMs == null ? '' : `${span(c.lastDrill.rtaMs)} of ${span(c.rtoMs)}`}
              </td>
              <td style={{ paddingLeft: 12 }}>
                {c.lastDrill?.rtaMs != null && <Gauge used={c.lastDrill.rtaMs / c.rtoMs} />}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
