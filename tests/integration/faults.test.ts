/** Every fault of the stand-in as a person sees it: one cause, its remedy, nothing lost, and back by itself once healed. */
import { CAUSES, causeTitle, type CauseCode } from '@/core/protect/cause';
import type { FaultKind } from '@/core/protect/fault';
import type { Lane } from '@/core/protect/policy';
import { HOUR, MINUTE } from '@/core/units';
import { Harbour, LANES } from './harbour';

jest.setTimeout(300_000);
const WORKLOADS = 3;
const replica = LANES[0] as Lane;
const lanes: readonly Lane[] = [
  replica,
  {
    ...replica,
    key: 'backup',
    kind: 'backup',
    cadence: { kind: 'every', everyMs: 20 * MINUTE, offsetMs: 0 },
    consistency: 'application',
    targets: { '1': 2 },
  },
];

let harbour: Harbour;
beforeAll(async () => {
  harbour = await Harbour.build('anchor_bay_faults_test', lanes, { workloads: WORKLOADS });
  await harbour.startStandIn();
  harbour.startEngine();
  await pass(40 * MINUTE);
});
afterAll(() => harbour.close());

async function pass(ms: number): Promise<void> {
  await harbour.beginJump(ms);
  await harbour.untilArrived(120_000);
}

const failing = () =>
  harbour.rows<{ code: CauseCode; subject: string; lanes: number }>(
    `SELECT cause_code code, cause_subject subject, COUNT(*) lanes FROM schedules WHERE failing_since_ms IS NOT NULL
      GROUP BY cause_code, cause_subject ORDER BY cause_code`,
  );
const openCauses = async () =>
  (
    await harbour.rows<{ title: string }>(
      // What came on shipped disks belongs to no point, here as always; late points follow from every fault.
      `SELECT title FROM causes WHERE to_ms IS NULL AND cause_key <> 'late' AND cause_key NOT LIKE 'found/%'`,
    )
  ).map((cause) => cause.title);

/** Fault, what it is set on, the cause that is seen, its subject, and how many lanes it stops. */
const FAULTS: ReadonlyArray<readonly [FaultKind, string, CauseCode, string, number]> = [
  ['link-cut', 'Ostgate – Millbrook', 'link-down', 'Ostgate – Millbrook', 2 * WORKLOADS],
  ['site-down', 'Millbrook', 'site-no-answer', 'Millbrook', 2 * WORKLOADS],
  ['site-credentials', 'Ostgate', 'site-credentials', 'Ostgate', 2 * WORKLOADS],
  ['name-lookup', 'Millbrook', 'name-lookup', 'Millbrook', 2 * WORKLOADS],
  ['clock-drift', 'Ostgate', 'clock-drift', 'Ostgate', 2 * WORKLOADS],
  ['mover-killed', 'mil-m1', 'mover-gone', 'mil-m1', 2 * WORKLOADS],
  ['host-lost', 'ost-c1', 'host-lost', 'ost-c1', 2 * WORKLOADS],
  ['repository-full', 'mil-r1', 'repository-full', 'mil-r1', WORKLOADS],
  ['repository-read-only', 'mil-r1', 'repository-read-only', 'mil-r1', WORKLOADS],
  ['guest-credentials', 'vm-2', 'guest-credentials', 'vm-2', 1],
  ['guest-agent-missing', 'vm-2', 'guest-agent-missing', 'vm-2', 1],
  ['freeze-timeout', 'vm-2', 'freeze-timeout', 'vm-2', 1],
];

test.each(FAULTS)('%s on %s is one cause, %s, and heals by itself', async (kind, subject, code, about, count) => {
  const before = await harbour.rows<{ id: number }>('SELECT id FROM points WHERE gone_ms IS NULL AND bad_ms IS NULL');
  await harbour.fault('setFault', { kind, subject });
  await pass(25 * MINUTE);
  expect(await failing()).toEqual([{ code, subject: about, lanes: count }]);
  // A clock that is wrong is also seen on the site itself, before any run fails of it.
  expect(
    (await openCauses()).filter((title) => title !== `The clock of ${about} is wrong` || code === 'clock-drift'),
  ).toContain(causeTitle(code, about));
  expect(CAUSES[code].remedy.length).toBeGreaterThan(30);
  const lost = await harbour.rows(
    'SELECT id FROM points WHERE id IN (?) AND gone_ms IS NOT NULL AND taken_ms > (SELECT base_ms FROM clock) - ?',
    [before.map((p) => p.id), HOUR - MINUTE],
  );
  expect(lost).toEqual([]);
  await harbour.fault('clearFault', { kind, subject });
  await pass(30 * MINUTE);
  expect(await failing()).toEqual([]);
  expect(await openCauses()).toEqual([]);
});

test('a slow and a lossy link are no failure: runs take longer, and the link is shown below its rate', async () => {
  for (const kind of ['link-slow', 'link-lossy'] as const) {
    await harbour.fault('setFault', { kind, subject: 'Ostgate – Millbrook', factor: 0.2 });
    await pass(20 * MINUTE);
    const [condition] = await harbour.rows<{ state: string; factor: number }>(
      'SELECT state, factor FROM conditions WHERE to_ms IS NULL',
    );
    expect(condition?.state).toBe('slow');
    expect(condition?.factor).toBeLessThan(0.5);
    expect(await failing()).toEqual([]);
    await harbour.fault('clearFault', { kind, subject: 'Ostgate – Millbrook' });
    await pass(5 * MINUTE);
    expect(await harbour.rows('SELECT 1 FROM conditions WHERE to_ms IS NULL')).toEqual([]);
  }
});

test('a password that a site came with is told, and no more once it is changed', async () => {
  await harbour.fault('setFault', { kind: 'default-password', subject: 'Millbrook' });
  await pass(5 * MINUTE);
  expect(await openCauses()).toEqual(['Millbrook still has the password it came with']);
  await harbour.fault('clearFault', { kind: 'default-password', subject: 'Millbrook' });
  await pass(5 * MINUTE);
  expect(await openCauses()).toEqual([]);
});

test('a stuck snapshot leaves the point good, is told, and is removed once it can be', async () => {
  await harbour.fault('setFault', { kind: 'stuck-snapshot', subject: 'vm-1' });
  await pass(2 * HOUR + 10 * MINUTE);
  expect(await failing()).toEqual([]);
  expect((await openCauses())[0]).toMatch(/snapshots? cannot be removed/);
  await harbour.fault('clearFault', { kind: 'stuck-snapshot', subject: 'vm-1' });
  await pass(HOUR + 10 * MINUTE);
  expect(await openCauses()).toEqual([]);
  const { snapshots } = (await harbour.operation('snapshots', {})) as { snapshots: unknown[] };
  expect(snapshots.length).toBeLessThanOrEqual(WORKLOADS);
});
