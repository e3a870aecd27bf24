import type { Metadata } from 'next';
import Link from 'next/link';
import { notFound } from 'next/navigation';
import { connected, idOf, momentOf, type SubjectProps } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { runbookView } from '@/queries/runbooks';
import { percent, span, when } from '@/ui/format';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { Gauge } from '@/ui/gauge';
import { Glyph, OutcomeMark } from '@/ui/glyph';
import { DrillStart } from '@/ui/runbooks/drill-start';
import { Timeline } from '@/ui/runbooks/timeline';

export const metadata: Metadata = { title: 'Runbook' };

export default async function RunbookPage({ params, searchParams }: SubjectProps) {
  const { db } = connected();
  const id = await idOf(params);
  const { nowMs, isNow } = await momentOf(searchParams);
  const [view, zone] = await Promise.all([runbookView(db, id, nowMs), displayZone(db)]);
  if (!view) notFound();
  const lacking = view.readiness.filter((check) => !check.ready).length;
  const total = view.estimate.kind === 'timed' ? view.estimate.duration : null;
  const oldest = view.points.length ? nowMs - Math.min(...view.points.map((p) => p.takenMs)) : null;
  return (
    <div className="rb">
      {!isNow && <AsOfBand />}
      <section className="head">
        <div>
          <div className="crumb">
            <Link href="/runbooks">Runbooks</Link> / {view.application}
          </div>
          <h1>
            {view.name} <span>if {view.source} is lost</span>
          </h1>
          <p className="plain">
            {total !== null && (
              <i>
                Expected to take <b>{span(total)}</b>
              </i>
            )}{' '}
            against an RTO of {span(view.rtoMs)}.{' '}
            {view.chance && (
              <i title="The runbook played through 4,000 times with the durations that drills measured; the fewer were measured, the wider they spread.">
                Chance to meet it {view.chance.chance > 0.99 ? 'above 99%' : percent(view.chance.chance)}; nine times in
                ten within {span(view.chance.p90Ms)}.
              </i>
            )}{' '}
            {oldest !== null && `The oldest of the points it would use now is ${span(oldest)} old. `}
            {view.lastDrill
              ? `Last drill ${when(view.lastDrill.atMs, zone, nowMs)}: ${view.lastDrill.state}.`
              : 'It was never drilled.'}
          </p>
        </div>
        <div className="acts">
          <div className={`st big ${lacking ? 's-over' : 's-inside'}`} style={{ fontSize: 17 }}>
            <Glyph name={lacking ? 'over' : 'inside'} size={15} />
            {lacking ? `Not ready: ${lacking} of ${view.readiness.length} checks` : 'Ready'}
          </div>
          {isNow && <DrillStart runbookId={view.id} openDrill={view.openDrill} nowMs={nowMs} />}
        </div>
      </section>
      <Timeline plan={view.plan} estimate={view.estimate} durations={view.durations} rtoMs={view.rtoMs} />
      <div className="two low">
        <table>
          <thead>
            <tr>
              <th>Readiness, computed now</th>
              <th>Found</th>
            </tr>
          </thead>
          <tbody>
            {view.readiness.map((check) => (
              <tr key={check.name}>
                <td>
                  <span className={`st ${check.ready ? 's-inside' : 's-over'}`}>
                    <Glyph name={check.ready ? 'inside' : 'over'} size={11} />{' '}
                    <span style={{ color: 'var(--ink)', fontWeight: 450 }}>{check.name}</span>
                  </span>
                </td>
                <td style={{ whiteSpace: 'normal' }}>{check.finding}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <table>
          <thead>
            <tr>
              <th>Drills</th>
              <th>Took, against {span(view.rtoMs)}</th>
              <th className="r">Result</th>
            </tr>
          </thead>
          <tbody>
            {view.drills.map((d) => (
              <tr key={d.id}>
                <td>
                  <Link href={`/drills/${d.id}`}>{when(d.atMs, zone, nowMs)}</Link>
                </td>
                <td>
                  {d.rtaMs === null ? <span className="t2">{d.reason}</span> : <Gauge used={d.rtaMs / view.rtoMs} />}
                </td>
                <td className="r">
                  <OutcomeMark state={d.state} />
                </td>
              </tr>
            ))}
            {view.drills.length === 0 && (
              <tr>
                <td colSpan={3} className="t2">
                  None yet. Start one: it runs in the test network beside production.
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
    </div>
  );
}
