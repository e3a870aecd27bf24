import { executeRun } from '@/engine/run/execute';
import { backoffMs, isTriedAgain, type RunContext, type RunJob } from '@/engine/run/job';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import type { Consistency, Lane } from '@/core/protect/policy';
import { HOUR } from '@/core/units';

const lane: Lane = {
  key: 'b',
  kind: 'backup',
  cadence: { kind: 'every', everyMs: HOUR, offsetMs: 0 },
  ladder: { reading: 'newest', count: 3 },
  consistency: 'application',
  excludeRoles: [],
  targets: {},
};
const job: RunJob = {
  runId: 9,
  attempt: 1,
  workloadId: 1,
  workloadName: 'tkt-db-01',
  siteName: 'Ostgate',
  lane,
  place: { kind: 'repository', id: 2 },
  immutableMs: 0,
  occurrenceMs: 100,
  streamKey: 't1.2.b',
};

function site(over: Partial<SiteController>, calls: string[]): SiteController {
  const base: Partial<SiteController> = {
    snapshot: () => Promise.resolve({ takenMs: 100 }),
    readChanges: () => Promise.resolve({ inspectedBytes: 10, sendBytes: 4, digest: 'd', disks: [] }),
    startTransfer: () => Promise.resolve(),
    verifyCopy: () => Promise.resolve({ digest: 'd', storedBytes: 3 }),
    releaseSnapshot: () => Promise.resolve(),
    cancelTransfer: () => Promise.resolve(),
    ...over,
  };
  return new Proxy(base as SiteController, {
    get:
      (target, name: keyof SiteController) =>
      (...values: never[]) => {
        calls.push(name);
        return (target[name] as (...v: never[]) => unknown)(...values);
      },
  });
}
const context = (
  over: Partial<SiteController>,
  calls: string[] = [],
  signal = new AbortController().signal,
): RunContext => ({
  site: site(over, calls),
  nowMs: () => 150,
  untilTransferred: (key) =>
    Promise.resolve({ key, sentBytes: 4, totalBytes: 4, rateBps: 0, completedMs: 140, expectedMs: 140, failure: null }),
  onStep: () => undefined,
  signal,
});

test('a good run takes, reads, sends, verifies and releases, and counts from when the data was taken', async () => {
  const calls: string[] = [];
  const outcome = await executeRun(job, context({}, calls));
  expect(outcome).toMatchObject({
    kind: 'succeeded',
    takenMs: 100,
    usableMs: 140,
    sentBytes: 4,
    storedBytes: 3,
    digest: 'd',
  });
  expect(outcome.steps.map((s) => s.name)).toEqual([
    'freeze and snapshot',
    'read changes',
    'send',
    'verify',
    'release snapshot',
  ]);
  expect(calls).toEqual(['snapshot', 'readChanges', 'startTransfer', 'verifyCopy', 'releaseSnapshot']);
});

test('a refusal carries cause and remedy, names the step, and nothing is left behind', async () => {
  const calls: string[] = [];
  const refusal = new ControllerError({ code: 'repository-full', subject: 'mil-r1', detail: 'No space left.' });
  const outcome = await executeRun(job, context({ startTransfer: () => Promise.reject(refusal) }, calls));
  expect(outcome).toMatchObject({ kind: 'failed', code: 'repository-full', subject: 'mil-r1', retryable: true });
  expect(outcome.steps.at(-1)).toMatchObject({ name: 'send', note: 'No space left.' });
  expect(calls.slice(-2)).toEqual(['cancelTransfer', 'releaseSnapshot']);
});

test('a second try first takes back what the first left', async () => {
  const calls: string[] = [];
  await executeRun({ ...job, attempt: 2 }, context({}, calls));
  expect(calls.slice(0, 3)).toEqual(['cancelTransfer', 'releaseSnapshot', 'snapshot']);
});

test('a copy that reads back differently is no point', async () => {
  const outcome = await executeRun(
    job,
    context({ verifyCopy: () => Promise.resolve({ digest: 'x', storedBytes: 3 }) }),
  );
  expect(outcome).toMatchObject({ kind: 'failed', code: 'corrupt-copy' });
});

test('a run can be cancelled while it sends', async () => {
  const abort = new AbortController();
  const waiting = context({}, [], abort.signal);
  const outcome = await executeRun(job, {
    ...waiting,
    untilTransferred: () => (abort.abort(), Promise.reject(new Error('aborted'))),
  });
  expect(outcome.kind).toBe('cancelled');
});

test('tries follow each other at 1, 2, 4, 8 and then 15 min for an hour, then every hour for a week', () => {
  const waits: number[] = [];
  for (let attempt = 1; isTriedAgain(attempt, false); attempt++) waits.push(backoffMs(attempt) / 60_000);
  expect(waits.slice(0, 9)).toEqual([1, 2, 4, 8, 15, 15, 15, 60, 60]);
  const days = waits.reduce((sum, wait) => sum + wait, 0) / (24 * 60);
  expect(days).toBeGreaterThan(7);
  expect(days).toBeLessThan(7.1);
});

test('what was captured together is tried for the first hour only: its instant grows old', () => {
  expect([1, 7, 8, 9].map((attempt) => isTriedAgain(attempt, true))).toEqual([true, true, false, false]);
});

const source = {
  place: { kind: 'repository', id: 2, copyKey: 'c1.1' },
  takenMs: 60,
  consistency: 'application',
  digest: 'd',
  disks: [],
} as const;
const copying: RunJob = { ...job, lane: { ...lane, key: 'copy', kind: 'copy', source: 'b' }, source };

test('a copy takes instant, digest and consistency of the point it copies, and no snapshot', async () => {
  const calls: string[] = [];
  const outcome = await executeRun(copying, {
    ...context({ startCopy: () => Promise.resolve(), forgetTransfer: () => Promise.resolve() }, calls),
  });
  expect(outcome).toMatchObject({ kind: 'succeeded', takenMs: 60, digest: 'd', consistency: 'application' });
  expect(calls).toEqual(['startCopy', 'verifyCopy', 'forgetTransfer']);
});

test('a copy without a point to copy says so, and may be tried again', async () => {
  const outcome = await executeRun({ ...copying, source: null }, context({}));
  expect(outcome).toMatchObject({ kind: 'failed', code: 'no-source-point', retryable: true });
});

const refuse = (code: 'freeze-timeout' | 'guest-agent-missing' | 'site-no-answer') =>
  new ControllerError({ code, subject: 'tkt-db-01', detail: 'No.' });
/** Refuses a snapshot with freeze, takes one without. */
const onlyWithout = (code: 'freeze-timeout' | 'guest-agent-missing' | 'site-no-answer') => ({
  snapshot: ({ consistency }: { consistency: Consistency }) =>
    consistency === 'crash' ? Promise.resolve({ takenMs: 100 }) : Promise.reject(refuse(code)),
});

test('a guest that cannot be frozen fails the run, or by setting costs the point its freeze', async () => {
  expect(await executeRun(job, context(onlyWithout('freeze-timeout')))).toMatchObject({ code: 'freeze-timeout' });
  const lenient = { ...job, lane: { ...lane, withoutFreeze: 'go-on' as const } };
  const outcome = await executeRun(lenient, context(onlyWithout('freeze-timeout')));
  expect(outcome).toMatchObject({ kind: 'succeeded', consistency: 'crash' });
  expect(outcome.steps[0]).toMatchObject({
    name: 'freeze and snapshot',
    note: expect.stringContaining('took too long') as string,
  });
  // Only a freeze is done without: a site that does not answer is a failure as ever.
  expect(await executeRun(lenient, context(onlyWithout('site-no-answer')))).toMatchObject({ code: 'site-no-answer' });
});

test('file systems are flushed where the lane asks for that, and the point says so', async () => {
  const asked: Consistency[] = [];
  const flushing = { ...job, lane: { ...lane, consistency: 'filesystem' as const } };
  const snapshot = ({ consistency }: { consistency: Consistency }) => (
    asked.push(consistency),
    Promise.resolve({ takenMs: 100 })
  );
  const outcome = await executeRun(flushing, context({ snapshot }));
  expect(outcome).toMatchObject({ kind: 'succeeded', consistency: 'filesystem' });
  expect([asked, outcome.steps[0]?.name]).toEqual([['filesystem'], 'flush and snapshot']);
  const lenient = { ...flushing, lane: { ...flushing.lane, withoutFreeze: 'go-on' as const } };
  expect(await executeRun(lenient, context(onlyWithout('guest-agent-missing')))).toMatchObject({
    consistency: 'crash',
  });
});

test.each([
  [20, 'succeeded'],
  [-20 * 60_000, 'failed'],
  [20 * 60_000, 'failed'],
])('a site whose clock is off by %d ms: the run has %s', async (off, kind) => {
  const outcome = await executeRun(job, context({ snapshot: () => Promise.resolve({ takenMs: 150 + off }) }));
  expect(outcome.kind).toBe(kind);
  if (kind === 'failed') expect(outcome).toMatchObject({ code: 'clock-drift', subject: 'Ostgate' });
});

test('a snapshot that cannot be removed does not spoil its point', async () => {
  const stuck = new ControllerError({ code: 'stuck-snapshot', subject: 'tkt-db-01', detail: 'Busy.' });
  const outcome = await executeRun(job, context({ releaseSnapshot: () => Promise.reject(stuck) }));
  expect(outcome.kind).toBe('succeeded');
  expect(outcome.steps.at(-1)?.note).toMatch(/cannot be removed/);
});

test('a place that locks is told until when, once the copy is known to be whole', async () => {
  const calls: string[] = [];
  const locked: number[] = [];
  const site = { lockCopy: (_copy: unknown, untilMs: number) => (locked.push(untilMs), Promise.resolve()) };
  await executeRun({ ...job, immutableMs: 1000 }, context(site, calls));
  expect(locked).toEqual([1100]);
  expect(calls.indexOf('lockCopy')).toBe(calls.indexOf('verifyCopy') + 1);
});

test('a capture whose instant is told wrong is dropped for all of its members', async () => {
  const released: string[] = [];
  const capture = {
    key: 'g1',
    members: () =>
      Promise.resolve([
        { runId: 9, workloadId: 1 },
        { runId: 10, workloadId: 2 },
      ]),
  };
  const over: Partial<SiteController> = {
    snapshotTogether: () => Promise.resolve({ takenMs: HOUR, consistency: 'application' }),
    releaseSnapshot: (key) => (released.push(key), Promise.resolve()),
  };
  const outcome = await executeRun({ ...job, capture }, context(over));
  expect(outcome).toMatchObject({ kind: 'failed', code: 'clock-drift', retryable: true });
  expect(new Set(released)).toEqual(new Set(['s9.1', 's10.1']));
});

test('who comes late to a capture takes its instant, and keeps its snapshot for the next try where sending fails', async () => {
  const calls: string[] = [];
  const capture = { key: 'g1', members: () => Promise.resolve([{ runId: 9, workloadId: 1 }]) };
  const over: Partial<SiteController> = {
    snapshotTogether: () => Promise.resolve({ takenMs: -HOUR, consistency: 'crash' }),
    startTransfer: () => Promise.reject(new ControllerError({ code: 'link-down', subject: 'line', detail: '' })),
  };
  const failed = await executeRun({ ...job, capture }, context(over, calls));
  expect(failed).toMatchObject({ kind: 'failed', code: 'link-down' });
  expect(calls).not.toContain('releaseSnapshot');
  const { snapshotTogether } = over as Required<Pick<SiteController, 'snapshotTogether'>>;
  const again = await executeRun({ ...job, attempt: 2, capture }, context({ snapshotTogether }));
  expect(again).toMatchObject({ kind: 'succeeded', takenMs: -HOUR, consistency: 'crash' });
});

test('a first copy on a disk puts the run off until it has arrived, and leaves no snapshot', async () => {
  const calls: string[] = [];
  const shipped = { ...job, lane: { ...lane, firstCopy: 'shipped' as const } };
  const outcome = await executeRun(shipped, context({ shipDisk: () => Promise.resolve({ arrivesMs: HOUR }) }, calls));
  expect(outcome).toMatchObject({ kind: 'put-off', untilMs: HOUR });
  expect(calls).toEqual(['snapshot', 'shipDisk', 'releaseSnapshot']);
});

test('a stream is opened by its first point and marked by the next ones', async () => {
  const streaming = { ...job, lane: { ...lane, kind: 'stream' as const, consistency: 'crash' as const } };
  const calls: string[] = [];
  const opened = await executeRun(
    streaming,
    context({ markStream: () => Promise.resolve(null), openStream: () => Promise.resolve() }, calls),
  );
  expect([opened.kind, calls.at(-1)]).toEqual(['succeeded', 'openStream']);
  const mark = { takenMs: 120, digest: 'd', disks: [], storedBytes: 7 };
  const marked = await executeRun(streaming, context({ markStream: () => Promise.resolve(mark) }));
  expect(marked).toMatchObject({ kind: 'succeeded', takenMs: 120, usableMs: 150, storedBytes: 7 });
});

test('the snapshot of a capture outlives its run: a try after a crash goes on from the same instant', async () => {
  const calls: string[] = [];
  const capture = { key: 'g1', members: () => Promise.resolve([{ runId: 9, workloadId: 1 }]) };
  const snapshotTogether = () => Promise.resolve({ takenMs: 100, consistency: 'application' as const });
  const outcome = await executeRun({ ...job, capture }, context({ snapshotTogether }, calls));
  expect(outcome.kind).toBe('succeeded');
  expect(calls).not.toContain('releaseSnapshot');
});
