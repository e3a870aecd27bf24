/** The engine against a real MariaDB and a real stand-in over HTTP: exactly once, whatever is killed. */
import { spansOver } from '@/core/point/exposure';
import { nextDue } from '@/core/protect/stagger';
import { HOUR, MINUTE } from '@/core/units';
import { LEASE_MS } from '@/store/runs';
import { Harbour, LANES, START, WORKLOADS } from './harbour';

jest.setTimeout(180_000);
let harbour: Harbour;

beforeEach(async () => {
  harbour = await Harbour.build('anchor_bay_engine_test');
  await harbour.startStandIn();
});
afterEach(() => harbour.close());

const lane = LANES[0]!;

/** What must be due in (START, until]: the first due instant as it was set, then the cadence. */
function expectedOccurrences(workloadId: number, until: number): number[] {
  const found: number[] = [];
  for (
    let at: number | null = START + workloadId * 45_000;
    at !== null && at <= until;
    at = nextDue(lane, { workload_id: workloadId, application_id: 1 }, at)
  )
    found.push(at);
  return found;
}

interface RunRow {
  id: number;
  workload_id: number;
  occurrence_ms: number;
  state: string;
  cause_code: string | null;
}

async function checkInvariants(until: number): Promise<RunRow[]> {
  const runs = await harbour.rows<RunRow>(
    'SELECT id, workload_id, occurrence_ms, state, cause_code FROM runs ORDER BY workload_id, occurrence_ms',
  );
  for (let id = 1; id <= WORKLOADS; id++)
    expect(runs.filter((r) => r.workload_id === id).map((r) => r.occurrence_ms)).toEqual(
      expectedOccurrences(id, until),
    );
  const orphans = await harbour.rows(
    `SELECT p.id FROM points p JOIN runs r ON r.id = p.run_id WHERE r.state <> 'succeeded'`,
  );
  expect(orphans).toEqual([]);
  const pointless = await harbour.rows(
    `SELECT r.id FROM runs r LEFT JOIN points p ON p.run_id = r.id WHERE r.state = 'succeeded' AND p.id IS NULL`,
  );
  expect(pointless).toEqual([]);
  const stale = await harbour.rows(
    `SELECT w.id FROM workloads w WHERE w.newest_taken_ms <> (SELECT MAX(taken_ms) FROM points p WHERE p.workload_id = w.id AND p.gone_ms IS NULL)`,
  );
  expect(stale).toEqual([]);
  return runs;
}

test('due occurrences become runs exactly once, with points, thinned by the ladder at the place too', async () => {
  harbour.startEngine();
  const until = await harbour.beginJump(3 * HOUR);
  await harbour.untilArrived();
  const runs = await checkInvariants(until);
  expect(runs.filter((r) => r.state === 'succeeded').length).toBeGreaterThan(WORKLOADS * 16);
  const live = await harbour.rows<{ copy_key: string; taken_ms: number }>(
    'SELECT copy_key, taken_ms FROM points WHERE gone_ms IS NULL',
  );
  expect(live.every((p) => p.taken_ms > until - HOUR - 11 * MINUTE)).toBe(true);
  const stored = await harbour.rows<{ copy_key: string }>(
    `SELECT copy_key FROM anchor_bay_engine_test_standin.copies WHERE copy_key NOT LIKE 'shipped%'`,
  );
  expect(stored.map((c) => c.copy_key).sort()).toEqual(live.map((p) => p.copy_key).sort());
  // Each that went says what it set free.
  const [sums] = await harbour.rows<{ freed: number; untold: number }>(
    'SELECT SUM(freed_bytes) freed, SUM(freed_bytes IS NULL) untold FROM points WHERE gone_ms IS NOT NULL',
  );
  expect(sums?.untold).toBe(0);
  expect(sums?.freed).toBeGreaterThan(0);
});

test('kill -9 in the middle of runs, then a restart: none twice, none lost, no point without its run', async () => {
  const first = harbour.startEngine();
  const until = await harbour.beginJump(2 * HOUR);
  for (;;) {
    const [busy] = await harbour.rows<{ running: number; done: number }>(
      `SELECT SUM(state = 'running') running, SUM(state = 'succeeded') done FROM runs`,
    );
    if ((busy?.running ?? 0) > 0 && (busy?.done ?? 0) > 20) break;
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
  const gone = new Promise((resolve) => first.once('exit', resolve));
  first.kill('SIGKILL');
  await gone;
  harbour.startEngine();
  await harbour.untilArrived();
  // Runs of the dead engine go on once its lease is over.
  await new Promise((resolve) => setTimeout(resolve, LEASE_MS + 1_000));
  await harbour.beginJump(5 * MINUTE);
  await harbour.untilArrived();
  const runs = await checkInvariants(until + 5 * MINUTE);
  expect(runs.filter((r) => r.state === 'running' && r.occurrence_ms < until)).toEqual([]);
});

test('a cut link fails runs with its cause, opens misses at the instant of the RPO, and heals by itself', async () => {
  harbour.startEngine();
  await harbour.beginJump(30 * MINUTE);
  await harbour.untilArrived();
  await harbour.fault('setFault', { kind: 'link-cut', subject: 'Ostgate – Millbrook' });
  await harbour.beginJump(40 * MINUTE);
  await harbour.untilArrived();
  const causes = await harbour.rows<{ cause_code: string; n: number }>(
    'SELECT cause_code, COUNT(*) n FROM schedules WHERE failing_since_ms IS NOT NULL GROUP BY cause_code',
  );
  expect(causes).toEqual([{ cause_code: 'link-down', n: WORKLOADS }]);
  await harbour.fault('clearFault', { kind: 'link-cut', subject: 'Ostgate – Millbrook' });
  const until = await harbour.beginJump(40 * MINUTE);
  await harbour.untilArrived();
  expect(await harbour.rows('SELECT 1 FROM schedules WHERE failing_since_ms IS NOT NULL')).toEqual([]);
  for (let id = 1; id <= WORKLOADS; id++) {
    const points = await harbour.rows<{ taken_ms: number; usable_ms: number }>(
      'SELECT taken_ms, usable_ms FROM points WHERE workload_id = ?',
      [id],
    );
    const first = Math.min(...points.map((p) => p.usable_ms));
    const expected = spansOver(
      points.map((p) => ({ takenAtMs: p.taken_ms, usableFromMs: p.usable_ms, goneAtMs: null })),
      first,
      until,
      15 * MINUTE,
    );
    const misses = await harbour.rows<{ from_ms: number; to_ms: number | null }>(
      'SELECT from_ms, to_ms FROM misses WHERE workload_id = ? AND from_ms > ? ORDER BY from_ms',
      [id, first],
    );
    expect(misses.map((m) => [m.from_ms, m.to_ms ?? until])).toEqual(expected.map((s) => [s.fromMs, s.toMs]));
    expect(expected.length).toBeGreaterThan(0);
  }
});

test('the stand-in survives kill -9: its copies are there, and runs go on', async () => {
  harbour.startEngine();
  await harbour.beginJump(30 * MINUTE);
  await harbour.untilArrived();
  const before = await harbour.rows<{ n: number }>('SELECT COUNT(*) n FROM points WHERE gone_ms IS NULL');
  await harbour.close();
  harbour = await reopen();
  const until = await harbour.beginJump(30 * MINUTE);
  await harbour.untilArrived();
  const runs = await checkInvariants(until);
  expect(runs.some((r) => r.state === 'succeeded' && r.occurrence_ms > until - 15 * MINUTE)).toBe(true);
  expect(before[0]?.n).toBeGreaterThan(0);
});

async function reopen(): Promise<Harbour> {
  const again = await Harbour.reopen('anchor_bay_engine_test');
  await again.startStandIn();
  again.startEngine();
  return again;
}
