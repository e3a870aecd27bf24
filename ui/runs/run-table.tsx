'use client';
import Link from 'next/link';
import { ActButton } from '@/ui/act';
import { bytes, exact, rate, span, when } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { Glyph, type GlyphName } from '@/ui/glyph';

export interface RunRow {
  readonly id: number;
  readonly workloadId: number;
  readonly workload: string;
  readonly policy: string;
  readonly lane: string;
  readonly state: string;
  readonly attempt: number;
  readonly occurrenceMs: number;
  readonly startedMs: number | null;
  readonly endedMs: number | null;
  readonly notBeforeMs: number;
  readonly waitsFor: string | null;
  readonly step: string | null;
  readonly inspectedBytes: number | null;
  readonly sentBytes: number | null;
  readonly totalBytes: number | null;
  readonly rateBps: number | null;
  readonly cause: {
    readonly code: string;
    readonly subject: string;
    readonly detail: string;
    readonly remedy: string;
  } | null;
}

const MARKS: Readonly<Record<string, readonly [GlyphName, string]>> = {
  succeeded: ['inside', 's-inside'],
  failed: ['over', 's-over'],
  running: ['closing', ''],
  waiting: ['booked', ''],
  cancelled: ['held', 's-held'],
  missed: ['failed', 's-over'],
};

export function RunMark({ state }: { state: string }) {
  const [glyph, tone] = MARKS[state] ?? ['held', ''];
  return (
    <span className={`st ${tone}`}>
      <Glyph name={glyph} size={11} /> {state}
    </span>
  );
}

export function RunTable({
  runs,
  asOfMs,
  canAct,
  shown,
}: {
  runs: readonly RunRow[];
  asOfMs: number;
  canAct: boolean;
  shown: number;
}) {
  const { zone, role } = useFrame();
  const may = canAct && role !== 'viewer';
  if (!runs.length)
    return (
      <div className="empty">
        <p>No run fits these filters.</p>
        <p className="t2">Runs come from the lanes of policies; “Run now” on a workload starts one by hand.</p>
      </div>
    );
  return (
    <>
      <table>
        <thead>
          <tr>
            <th style={{ width: 96 }}>State</th>
            <th style={{ width: 70 }}>Run</th>
            <th style={{ width: 120 }}>Workload</th>
            <th style={{ width: 78 }}>Lane</th>
            <th style={{ width: 110 }}>Due</th>
            <th className="r" style={{ width: 74 }}>
              Took
            </th>
            <th className="r" style={{ width: 84 }}>
              Inspected
            </th>
            <th className="r" style={{ width: 84 }}>
              Sent
            </th>
            <th>Step, or cause and remedy</th>
            <th style={{ width: 156 }} />
          </tr>
        </thead>
        <tbody>
          {runs.map((r) => (
            <tr key={r.id}>
              <td>
                <RunMark state={r.state} />
              </td>
              <td>
                <Link href={`/runs/${r.id}`}>{r.id}</Link>
              </td>
              <td>
                <Link href={`/workloads/${r.workloadId}`}>{r.workload}</Link>
              </td>
              <td>{r.lane}</td>
              <td title={exact(r.occurrenceMs, zone)}>{when(r.occurrenceMs, zone, asOfMs)}</td>
              <td className="r">{r.startedMs === null ? '' : span((r.endedMs ?? asOfMs) - r.startedMs)}</td>
              <td className="r">{r.inspectedBytes === null ? '' : bytes(r.inspectedBytes)}</td>
              <td className="r">{r.sentBytes === null ? '' : bytes(r.sentBytes)}</td>
              <td style={{ whiteSpace: 'normal' }}>
                <RunSay run={r} zone={zone} asOfMs={asOfMs} />
              </td>
              <td className="r">{may && <RunActions run={r} />}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {runs.length === shown && <p className="t2">The newest {shown}; filter to see others.</p>}
    </>
  );
}

function RunActions({ run: { id: runId, state, cause } }: { run: RunRow }) {
  const ended = state === 'failed' || state === 'cancelled';
  const waitsToTry = state === 'waiting' && cause !== null;
  return (
    <span className="row-acts">
      {(ended || waitsToTry) && (
        <ActButton command="retry-run" body={{ runId }} small>
          {ended ? 'Run again' : 'Try now'}
        </ActButton>
      )}
      {(state === 'running' || state === 'waiting') && (
        <ActButton command="cancel-run" body={{ runId }} small kind="quiet">
          Cancel run
        </ActButton>
      )}
    </span>
  );
}

/** How long what is left takes at the present rate; nothing where it is not sending. */
function leftOf({ totalBytes, sentBytes, rateBps }: RunRow): string {
  const left = (totalBytes ?? 0) - (sentBytes ?? 0);
  return left > 0 && rateBps ? `, ${span((left * 8000) / rateBps)} left` : '';
}

function RunSay({ run: r, zone, asOfMs }: { run: RunRow; zone: string; asOfMs: number }) {
  if (r.state === 'running') {
    const share = r.totalBytes ? (r.sentBytes ?? 0) / r.totalBytes : 0;
    return (
      <>
        {r.step}, try {r.attempt}
        {r.totalBytes ? `, ${Math.round(share * 100)}% of ${bytes(r.totalBytes)} ${rate(r.rateBps)}` : ''}
        {leftOf(r)}
        {r.totalBytes ? (
          <span className="bar-progress" style={{ display: 'block', maxWidth: 220 }}>
            <i style={{ width: `${share * 100}%` }} />
          </span>
        ) : null}
      </>
    );
  }
  if (r.cause && r.state !== 'succeeded')
    return (
      <>
        <b>{r.cause.subject}</b>: {r.cause.detail}{' '}
        <span className="t2">
          {r.state === 'waiting'
            ? `Tried ${r.attempt === 1 ? 'once' : `${r.attempt} times`}, next ${when(r.notBeforeMs, zone, asOfMs)}.`
            : r.cause.remedy}
        </span>
      </>
    );
  return (
    <span className="t2">
      {r.state === 'missed'
        ? 'overtaken by a newer occurrence of its lane'
        : r.waitsFor
          ? `waits for ${r.waitsFor}`
          : r.attempt > 1
            ? `at try ${r.attempt}`
            : ''}
    </span>
  );
}
