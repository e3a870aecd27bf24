import type { Metadata } from 'next';
import Link from 'next/link';
import { notFound } from 'next/navigation';
import { connected, idOf, momentOf, type SubjectProps } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { runView } from '@/queries/runs';
import { bytes, exact, span, when } from '@/ui/format';
import { RunTable } from '@/ui/runs/run-table';

export const metadata: Metadata = { title: 'Run' };

export default async function RunPage({ params, searchParams }: SubjectProps) {
  const { db } = connected();
  const id = await idOf(params);
  const { nowMs, isNow } = await momentOf(searchParams);
  const [run, zone] = await Promise.all([runView(db, id), displayZone(db)]);
  if (!run) notFound();
  return (
    <>
      <section className="head">
        <div>
          <div className="crumb">
            <Link href="/runs">Runs</Link> / <Link href={`/workloads/${run.workloadId}`}>{run.workload}</Link>
          </div>
          <h1>
            Run {run.id}{' '}
            <span>
              {run.lane} of {run.workload}, {run.policy}
            </span>
          </h1>
          {run.cause && run.state !== 'succeeded' && (
            <p className="plain">
              <b className="s-over">{run.cause.subject}</b>: {run.cause.detail} {run.cause.remedy}
            </p>
          )}
        </div>
      </section>
      <RunTable runs={[run]} asOfMs={nowMs} canAct={isNow} shown={0} />
      <section className="section">
        <h2>Steps</h2>
        {run.steps.length === 0 ? (
          <p className="t2">Steps of successful runs are kept for the last days only; the figures of the run stay.</p>
        ) : (
          <table>
            <thead>
              <tr>
                <th>Step</th>
                <th>Began</th>
                <th className="r">Took</th>
                <th>Note</th>
              </tr>
            </thead>
            <tbody>
              {run.steps.map((step, i) => (
                <tr key={i}>
                  <td>
                    {i + 1}. {step.name}
                  </td>
                  <td title={exact(step.startedMs, zone)}>{when(step.startedMs, zone, nowMs)}</td>
                  <td className="r">{step.endedMs === null ? 'under way' : span(step.endedMs - step.startedMs)}</td>
                  <td>{step.note}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <dl className="kv">
          <dt>Inspected</dt>
          <dd>{bytes(run.inspectedBytes)}</dd>
          <dt>Sent</dt>
          <dd>{bytes(run.sentBytes)}</dd>
          <dt>Stored more</dt>
          <dd>{bytes(run.storedBytes)}</dd>
          <dt>Started by</dt>
          <dd>{run.startedBy}</dd>
        </dl>
      </section>
    </>
  );
}
