import type { Metadata } from 'next';
import Link from 'next/link';
import { connected, momentOf, type SearchParams } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { policyCards } from '@/queries/policies';
import { span, when } from '@/ui/format';

export const metadata: Metadata = { title: 'Policies' };

export default async function PoliciesPage({ searchParams }: { searchParams: SearchParams }) {
  const { db } = connected();
  const { nowMs } = await momentOf(searchParams);
  const [cards, zone] = await Promise.all([policyCards(db, nowMs), displayZone(db)]);
  return (
    <>
      <h1 style={{ padding: '12px 0 6px' }}>Policies</h1>
      {cards.map((card) => (
        <section key={card.id} className="section">
          <h2>
            <Link href={`/policies/${card.id}`}>{card.name}</Link>{' '}
            <span className="t2" style={{ fontWeight: 400, fontSize: 13 }}>
              {card.note}; {card.workloads} workloads, revision {card.revision}
              {card.outOfStep > 0 && <b className="s-closing">, {card.outOfStep} out of step</b>}
            </span>
          </h2>
          <table>
            <thead>
              <tr>
                <th style={{ width: 110 }}>Lane</th>
                <th style={{ width: 260 }}>Runs</th>
                <th>Keeps</th>
                <th className="r" style={{ width: 110 }}>
                  Points when full
                </th>
                <th className="r" style={{ width: 120 }}>
                  Worst exposure
                </th>
                <th className="r" style={{ width: 120 }}>
                  Next due from
                </th>
              </tr>
            </thead>
            <tbody>
              {card.lanes.map((lane) => (
                <tr key={lane.lane.key}>
                  <td>
                    <b>{lane.lane.key}</b>
                  </td>
                  <td>{lane.cadence}</td>
                  <td>{lane.ladder}</td>
                  <td className="r">{lane.steadyPoints}</td>
                  <td className="r">{lane.worstMs === null ? '–' : span(lane.worstMs)}</td>
                  <td className="r">
                    <i>{lane.nextMs[0] === undefined ? 'by hand' : when(lane.nextMs[0], zone, nowMs)}</i>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
    </>
  );
}
