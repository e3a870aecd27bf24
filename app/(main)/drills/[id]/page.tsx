import type { Metadata } from 'next';
import Link from 'next/link';
import { notFound } from 'next/navigation';
import { connected, idOf, momentOf, type SubjectProps } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { drillView, type DrillView } from '@/queries/runbooks';
import { ActButton } from '@/ui/act';
import { exact, span, when } from '@/ui/format';
import { Gauge } from '@/ui/gauge';
import { OutcomeMark } from '@/ui/glyph';
import { DrillConsole } from '@/ui/runbooks/drill-console';

export const metadata: Metadata = { title: 'Drill' };

export default async function DrillPage({ params, searchParams }: SubjectProps) {
  const { db } = connected();
  const id = await idOf(params);
  const { nowMs } = await momentOf(searchParams);
  const [view, zone] = await Promise.all([drillView(db, id), displayZone(db)]);
  if (!view) notFound();
  const { record } = view;
  return (
    <>
      <section className="head">
        <div>
          <div className="crumb">
            <Link href="/proof">Proof</Link> / <Link href={`/runbooks/${view.runbookId}`}>{view.runbook}</Link>
          </div>
          <h1>
            {record ? 'Proof' : 'Drill'} {view.id} <span>{view.runbook}</span>
          </h1>
          <p className="plain">
            {view.application}, tier {view.tier}, from points of {view.source} at {view.target};{' '}
            {view.pointInTimeMs === null
              ? 'the latest usable points'
              : `points of ${when(view.pointInTimeMs, zone, nowMs)} or just before`}
            ; started {view.startedMs === null ? 'soon' : when(view.startedMs, zone, nowMs)} by{' '}
            {view.startedBy ?? 'the plan'}.{record?.reason ? ` ${record.reason}.` : ''}
          </p>
        </div>
        <div className="acts">
          <div className="st big">
            <OutcomeMark state={view.state} />
          </div>
          {record ? (
            <a className="btn no-print" style={{ textDecoration: 'none' }} href={`/api/proof/${view.id}`}>
              Save as PDF
            </a>
          ) : (
            <ActButton command="cancel-drill" body={{ drillId: view.id }} disabled={view.cancelRequested}>
              {view.cancelRequested ? 'Being cancelled' : 'Cancel drill and clean up'}
            </ActButton>
          )}
        </div>
      </section>
      {record && <Measured view={view} />}
      <Members view={view} zone={zone} nowMs={nowMs} />
      <DrillConsole lines={view.lines} live={record === null} />
    </>
  );
}

function Measured({ view }: { view: DrillView }) {
  const record = view.record as NonNullable<DrillView['record']>;
  const rows = [
    {
      name: 'Age of the data (RPA)',
      actual: span(record.rpaMs),
      objective: `RPO, site lost ${span(view.rpoMs)}`,
      used: record.rpaMs / view.rpoMs,
    },
    {
      name: 'Recovery time (RTA)',
      actual: record.rtaMs === null ? 'not reached' : span(record.rtaMs),
      objective: `RTO ${span(view.rtoMs)}`,
      used: record.rtaMs === null ? null : record.rtaMs / view.rtoMs,
    },
  ];
  const equal = record.members.filter((m) => m.contentEqual).length;
  return (
    <table>
      <thead>
        <tr>
          <th>Measured for the application</th>
          <th>Actual</th>
          <th>Objective</th>
          <th />
          <th>Content equal to its point</th>
          <th>Cleaned up</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row, i) => (
          <tr key={row.name}>
            <td>{row.name}</td>
            <td className={row.used === null || row.used > 1 ? 's-over' : ''}>
              <b>{row.actual}</b>
            </td>
            <td>{row.objective}</td>
            <td>{row.used !== null && <Gauge used={row.used} />}</td>
            <td>{i === 0 ? `${equal} of ${record.members.length} workloads` : ''}</td>
            <td>
              {i === 0
                ? record.cleanup.complete
                  ? `yes, ${record.cleanup.clonesRemoved} clones removed`
                  : `no: ${record.cleanup.left.join(', ')}`
                : ''}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Members({ view, zone, nowMs }: { view: DrillView; zone: string; nowMs: number }) {
  const results = new Map(view.members.map((m) => [m.workloadId, m]));
  const started = view.startedMs ?? nowMs;
  const after = (ms: number | null | undefined) => (ms === null || ms === undefined ? '' : `+${span(ms - started)}`);
  return (
    <section className="section">
      <h2>Workloads by wave</h2>
      <table>
        <thead>
          <tr>
            <th>Wave</th>
            <th>Workload</th>
            <th>Point taken</th>
            <th className="r">Data age</th>
            <th className="r">Cloned</th>
            <th className="r">Booted</th>
            <th style={{ paddingLeft: 14 }}>Checks</th>
            <th>Content</th>
            <th className="r">Recovery time</th>
          </tr>
        </thead>
        <tbody>
          {view.plan.waves.flatMap((wave, w) =>
            wave.members.map((m, i) => {
              const r = results.get(m.workloadId);
              return (
                <tr key={m.workloadId}>
                  <td>{i === 0 ? `${w + 1} ${wave.name}` : ''}</td>
                  <td>
                    <Link href={`/workloads/${m.workloadId}`}>{m.name}</Link>
                  </td>
                  <td title={r?.pointTakenMs ? exact(r.pointTakenMs, zone) : ''}>
                    {r?.pointTakenMs ? when(r.pointTakenMs, zone, nowMs) : ''}
                  </td>
                  <td className="r">{r?.pointTakenMs ? span(r.rpaMs) : ''}</td>
                  <td className="r">{after(r?.clonedMs)}</td>
                  <td className="r">{after(r?.bootedMs)}</td>
                  <td style={{ paddingLeft: 14, whiteSpace: 'normal' }}>
                    {r?.failure ? (
                      <span className="s-over">
                        {r.failure.title} {r.failure.remedy}
                      </span>
                    ) : (
                      r?.checks.map((c) => c.check).join(', ')
                    )}
                  </td>
                  <td>
                    {r?.contentEqual === true ? (
                      'equal'
                    ) : r?.contentEqual === false ? (
                      <b className="s-over">differs</b>
                    ) : (
                      ''
                    )}
                  </td>
                  <td className="r">
                    <b>{r?.rtaMs == null ? '' : span(r.rtaMs)}</b>
                  </td>
                </tr>
              );
            }),
          )}
        </tbody>
      </table>
    </section>
  );
}
