import type { Metadata } from 'next';
import Link from 'next/link';
import { notFound } from 'next/navigation';
import { connected, idOf, momentOf, type SubjectProps } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { pausesAt } from '@/queries/pauses';
import { policyView, targetPlaces } from '@/queries/policies';
import { ActButton } from '@/ui/act';
import { span, when } from '@/ui/format';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { LadderDrawing } from '@/ui/policies/ladder-drawing';
import { saySettings } from '@/ui/policies/lane-words';
import { PauseButton, PausesInForce } from '@/ui/pauses';
import { LaneEditor } from '@/ui/policies/lane-editor';

export const metadata: Metadata = { title: 'Policy' };

export default async function PolicyPage({ params, searchParams }: SubjectProps) {
  const { db } = connected();
  const { nowMs, isNow } = await momentOf(searchParams);
  const id = await idOf(params);
  const [view, zone, pauses, places] = await Promise.all([
    policyView(db, id, nowMs),
    displayZone(db),
    pausesAt(db, nowMs),
    targetPlaces(db),
  ]);
  if (!view) notFound();
  return (
    <>
      {!isNow && <AsOfBand />}
      <section className="head">
        <div>
          <div className="crumb">
            <Link href="/policies">Policies</Link>
          </div>
          <h1>
            {view.name} <span>revision {view.revision}</span>
          </h1>
          <p className="plain">
            {view.note}. It takes every workload where <span className="mono">{view.takes}</span>.
          </p>
        </div>
        <div className="acts">
          {view.outOfStep > 0 ? (
            <>
              <div className="st big s-closing" style={{ fontSize: 15 }}>
                {view.outOfStep} of {view.workloads} workloads out of step
              </div>
              {isNow && (
                <ActButton command="apply-policy" body={{ policyId: view.id }} kind="primary">
                  Apply revision {view.revision} to {view.outOfStep} workloads
                </ActButton>
              )}
            </>
          ) : (
            <div className="st big s-inside" style={{ fontSize: 15 }}>
              all {view.workloads} workloads in step
            </div>
          )}
          {isNow && <PauseButton scope="policy" scopeId={view.id} />}
        </div>
      </section>
      <PausesInForce pauses={pauses.filter((p) => p.scope === 'policy' && p.scopeId === view.id)} canAct={isNow} />
      {view.lanes.map((lane) => (
        <section className="section" key={lane.lane.key} aria-label={`Lane ${lane.lane.key}`}>
          <h2>
            {lane.lane.key}{' '}
            <span className="t2" style={{ fontWeight: 400, fontSize: 13 }}>
              {lane.cadence}; {saySettings(lane.lane)}
            </span>
          </h2>
          <div className="two" style={{ paddingTop: 8 }}>
            <div>
              <LadderDrawing ladder={lane.lane.ladder} />
              <p className="t2">
                Keeps {lane.ladder}; {lane.steadyPoints} points a workload when full. Worst exposure{' '}
                {lane.worstMs === null ? 'unknown' : span(lane.worstMs)}: the longest wait plus up to{' '}
                {span(lane.typicalMs)} until usable
                {view.rpoMs !== null && lane.worstMs !== null && (
                  <>
                    ,{' '}
                    {lane.worstMs <= view.rpoMs ? (
                      `inside the RPO of ${span(view.rpoMs)}`
                    ) : (
                      <span className="s-over">over the RPO of {span(view.rpoMs)} if nothing else copies</span>
                    )}
                  </>
                )}
                .
              </p>
              <p className="t2">
                <i>
                  Next due from{' '}
                  {lane.nextMs
                    .slice(0, 4)
                    .map((ms) => when(ms, zone, nowMs))
                    .join(', ') || 'by hand'}
                </i>
                , workloads spread over the cadence.
              </p>
            </div>
            {isNow && (
              <LaneEditor
                policyId={view.id}
                revision={view.revision}
                lane={lane.lane}
                runsBy={lane.runsBy}
                looks={view.facts[lane.lane.key] ?? null}
                rpoMs={view.rpoMs}
                lanes={view.lanes.map((l) => l.lane.key)}
                places={places}
              />
            )}
          </div>
        </section>
      ))}
      <section className="section">
        <h2>Workloads</h2>
        <table>
          <thead>
            <tr>
              <th>Workload</th>
              <th>Application</th>
              <th>Tier</th>
              <th className="r">Revision in force</th>
            </tr>
          </thead>
          <tbody>
            {view.members.map((m) => (
              <tr key={m.id}>
                <td>
                  <Link href={`/workloads/${m.id}`}>{m.name}</Link>
                </td>
                <td>{m.application}</td>
                <td>{m.tier}</td>
                <td className="r">
                  {m.revision}
                  {m.revision !== view.revision && <span className="s-closing">, out of step</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <section className="section">
        <h2>Revisions</h2>
        <table>
          <tbody>
            {view.revisions.map((r) => (
              <tr key={r.revision}>
                <td>Revision {r.revision}</td>
                <td>{when(r.createdMs, zone, nowMs)}</td>
                <td className="r">{r.by ?? 'at the beginning'}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </>
  );
}
