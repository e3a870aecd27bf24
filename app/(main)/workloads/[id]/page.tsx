import type { Metadata } from 'next';
import Link from 'next/link';
import { notFound } from 'next/navigation';
import { connected, idOf, momentOf, type SubjectProps } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { workloadView, type WorkloadView } from '@/queries/workload';
import { ActButton } from '@/ui/act';
import { CONSISTENCY_WORDS } from '@/ui/consistency-words';
import { bytes, exact, percent, span, when } from '@/ui/format';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { Gauge } from '@/ui/gauge';
import { Glyph, OutcomeMark } from '@/ui/glyph';
import { PauseButton, PausesInForce } from '@/ui/pauses';
import { PointBoard } from '@/ui/workloads/point-board';
import { StreamPanel } from '@/ui/workloads/stream-panel';

export const metadata: Metadata = { title: 'Workload' };

export default async function WorkloadPage({ params, searchParams }: SubjectProps) {
  const { db } = connected();
  const id = await idOf(params);
  const { asOfMs, isNow } = await momentOf(searchParams);
  const view = await workloadView(db, id, asOfMs, isNow);
  if (!view) notFound();
  const zone = await displayZone(db);
  const s = view.standing;
  const at = isNow ? '' : `?at=${asOfMs}`;
  return (
    <div className="wl">
      {!isNow && <AsOfBand />}
      <section className="head">
        <div>
          <div className="crumb">
            <Link href={`/workloads${at}`}>Workloads</Link> /{' '}
            <Link href={`/workloads?text=${encodeURIComponent(s.application)}${at.replace('?', '&')}`}>
              {s.application}
            </Link>
          </div>
          <h1>
            {s.name}{' '}
            <span>
              {s.application}, tier {s.tier}, {s.site}
            </span>
          </h1>
          <p className="plain">
            {s.exposureMs === null ? (
              'It has no usable point at all: nothing could come back.'
            ) : (
              <>
                Its last usable point is <b className={s.standing === 'over' ? 's-over' : ''}>{span(s.exposureMs)}</b>{' '}
                old against an RPO of {span(s.rpoMs)}.
              </>
            )}
          </p>
        </div>
        <div className="acts">
          <div className={`st big s-${s.standing}`}>
            <Glyph name={s.standing} size={16} />
            {standingWords(view)}
          </div>
          {isNow && view.policy && (
            <div className="flex flex-wrap gap-2 justify-end">
              <PauseButton scope="workload" scopeId={s.id} />
              {view.lanes.map((lane, i) => (
                <ActButton
                  key={lane.key}
                  command="run-now"
                  body={{ workloadId: s.id, laneKey: lane.key }}
                  kind={i === 0 ? 'primary' : 'plain'}
                >
                  Run {lane.key} now{lane.together > 0 && `, with ${lane.together} more`}
                </ActButton>
              ))}
            </div>
          )}
        </div>
      </section>
      <PausesInForce pauses={view.pauses} canAct={isNow} />
      <div className="two">
        <Objectives view={view} />
        <Enrolment view={view} zone={zone} asOfMs={asOfMs} />
      </div>
      {view.streams.map((stream) => (
        <StreamPanel key={stream.lane} workloadId={s.id} stream={stream} asOfMs={asOfMs} />
      ))}
      <PointBoard points={view.points} journals={view.streams} rpoMs={s.rpoMs} asOfMs={asOfMs} canHold={isNow} />
      <div className="two low">
        <Disks view={view} />
        <Runs view={view} zone={zone} asOfMs={asOfMs} />
      </div>
    </div>
  );
}

function standingWords({ standing: s }: WorkloadView): string {
  if (s.exposureMs === null) return 'Over RPO, no usable point';
  if (s.standing === 'over') return `Over RPO by ${span(s.exposureMs - s.rpoMs)}`;
  return `${s.standing === 'closing' ? 'Closing' : 'Inside'}, ${span(s.rpoMs - s.exposureMs)} left`;
}

function Objectives({ view }: { view: WorkloadView }) {
  const s = view.standing;
  // A snapshot lies on the disks of the machine itself: lost with them, it is no copy of its own.
  const apart = view.points.filter((p) => p.kind !== 'snapshot' && p.bad === null);
  const copies = 1 + new Set(apart.map((p) => p.place)).size;
  const sites = new Set([s.site, ...apart.map((p) => p.site)]).size;
  const rows = [
    {
      name: 'RPO, any copy',
      promised: span(s.rpoMs),
      actual: s.exposureMs === null ? 'no point' : span(s.exposureMs),
      used: s.exposureMs === null ? 2 : s.exposureMs / s.rpoMs,
      note: `met ${percent(view.share30)} of 30 days`,
    },
    {
      name: 'RPO, site lost',
      promised: span(view.siteLostRpoMs),
      actual: view.siteLostExposureMs === null ? 'no point elsewhere' : span(view.siteLostExposureMs),
      used: view.siteLostExposureMs === null ? 2 : view.siteLostExposureMs / view.siteLostRpoMs,
      note: '',
    },
    {
      name: 'RTO',
      promised: span(view.rtoMs),
      actual: view.lastRtaMs === null ? 'never measured' : `${span(view.lastRtaMs)}, drill`,
      used: view.lastRtaMs === null ? null : view.lastRtaMs / view.rtoMs,
      note: '',
    },
  ];
  return (
    <table className="obj">
      <thead>
        <tr>
          <th>Objective</th>
          <th>Promised</th>
          <th>Actual</th>
          <th>Used of the promise</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.name}>
            <td>{row.name}</td>
            <td>{row.promised}</td>
            <td className={row.used !== null && row.used > 1 ? 's-over' : ''}>{row.actual}</td>
            <td>{row.used !== null && <Gauge used={row.used} />}</td>
            <td className="r t2">{row.note}</td>
          </tr>
        ))}
        <tr>
          <td>Copies</td>
          <td>{view.copiesWanted} with the machine itself</td>
          <td className={copies < view.copiesWanted ? 's-over' : ''}>
            {copies} at {sites} {sites === 1 ? 'site' : 'sites'}
          </td>
          <td />
          <td />
        </tr>
      </tbody>
    </table>
  );
}

function Enrolment({ view, zone, asOfMs }: { view: WorkloadView; zone: string; asOfMs: number }) {
  if (!view.policy)
    return (
      <div className="empty">
        <p>
          <b>Enrolled nowhere.</b> No policy matches it, so no copy is taken.
        </p>
        <p className="t2">Give a policy a rule that matches it.</p>
      </div>
    );
  return (
    <div>
      <table className="why">
        <thead>
          <tr>
            <th>
              Why it is in <Link href={`/policies/${view.policy.id}`}>{view.policy.name}</Link>, revision{' '}
              {view.policy.revision}
              {view.policy.inStep ? '' : ' (out of step)'}
            </th>
            <th>This workload</th>
            <th className="r">Holds</th>
          </tr>
        </thead>
        <tbody>
          {view.answers.map((a) => (
            <tr key={a.question}>
              <td>{a.question}</td>
              <td>{a.value}</td>
              <td className="r">{a.holds ? 'yes' : 'no'}</td>
            </tr>
          ))}
          {view.lanes.map((lane) => (
            <tr key={lane.key}>
              <td>
                <b>{lane.key}</b> {lane.cadence}
                {lane.consistency === 'crash' ? '' : `, ${CONSISTENCY_WORDS[lane.consistency]}`}
              </td>
              <td colSpan={2} className="r t2">
                {lane.dueMs !== null && <i title={exact(lane.dueMs, zone)}>next {when(lane.dueMs, zone, asOfMs)}</i>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {view.alsoFits.length > 0 && <p className="t2">Also fits {view.alsoFits.join(', ')}; the first policy wins.</p>}
    </div>
  );
}

function Disks({ view }: { view: WorkloadView }) {
  return (
    <table className="close">
      <thead>
        <tr>
          <th>Disk</th>
          <th>Holds</th>
          <th className="r">Size</th>
          <th>In the copies</th>
        </tr>
      </thead>
      <tbody>
        {view.disks.map((d) => (
          <tr key={d.number}>
            <td className="mono">disk {d.number}</td>
            <td>{d.role}</td>
            <td className="r">{bytes(d.sizeBytes)}</td>
            <td>{d.inCopy ? 'yes' : <span className="t2">left out by the policy</span>}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Runs({ view, zone, asOfMs }: { view: WorkloadView; zone: string; asOfMs: number }) {
  return (
    <table className="close">
      <thead>
        <tr>
          <th>Latest runs and drills</th>
          <th>When</th>
          <th className="r">Result</th>
        </tr>
      </thead>
      <tbody>
        {view.runs.slice(0, 5).map((r) => (
          <tr key={r.id}>
            <td>
              <Link href={`/runs/${r.id}`}>{r.lane}</Link>
            </td>
            <td title={exact(r.occurrenceMs, zone)}>{when(r.occurrenceMs, zone, asOfMs)}</td>
            <td className={`r ${r.state === 'failed' ? 's-over' : ''}`}>{r.state}</td>
          </tr>
        ))}
        {view.proofs.map((p) => (
          <tr key={p.drillId}>
            <td>
              <Link href={`/drills/${p.drillId}`}>Drill: {p.runbook}</Link>
            </td>
            <td title={exact(p.atMs, zone)}>{when(p.atMs, zone, asOfMs)}</td>
            <td className="r">
              <OutcomeMark state={p.outcome} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
