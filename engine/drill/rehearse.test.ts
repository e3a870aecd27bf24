import type { DrillRecord } from '@/core/recover/drill-record';
import type { Member, RunbookPlan } from '@/core/recover/runbook';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import { rehearse, type DrillContext, type DrillJob } from '@/engine/drill/rehearse';

const member = (workloadId: number): Member => ({
  workloadId,
  name: `vm-${workloadId}`,
  clusterId: 1,
  networkId: 1,
  address: `192.0.2.${workloadId}`,
  after: [],
  checks: ['ping', 'port'],
});
const plan: RunbookPlan = {
  waves: [
    { name: 'Data', members: [member(1), member(2)] },
    { name: 'Front', members: [member(3)] },
  ],
};
const job: DrillJob = {
  drillId: 7,
  plan,
  testNetworkId: 9,
  startedMs: 1000,
  points: new Map(
    [1, 2, 3].map((id) => [
      id,
      {
        pointId: id,
        place: { kind: 'datastore', id: 1 },
        copyKey: `c${id}`,
        takenMs: 100 * id,
        digest: `digest-c${id}`,
      },
    ]),
  ),
};

/** A world in which each step takes 10 ms; `over` changes what it answers. */
function world(over: Partial<SiteController> = {}) {
  let nowMs = 1000;
  const clones = new Map<string, string>();
  const site: Partial<SiteController> = {
    clone: ({ key, copyKey }) => (clones.set(key, copyKey), Promise.resolve({ readyMs: nowMs + 10 })),
    boot: () => Promise.resolve({ bootedMs: nowMs + 10 }),
    check: (_key, check) => Promise.resolve({ passedMs: nowMs + 10, detail: check }),
    contentDigest: (key) => Promise.resolve(`digest-${clones.get(key)}`),
    removeClone: (key) => (clones.delete(key), Promise.resolve()),
    ...over,
  };
  const said: string[] = [];
  const abort = new AbortController();
  const context: DrillContext = {
    site: site as SiteController,
    nowMs: () => nowMs,
    sleepUntil: (atMs) => ((nowMs = Math.max(nowMs, atMs)), Promise.resolve()),
    say: (_atMs, text) => void said.push(text),
    onProgress: () => undefined,
    signal: abort.signal,
  };
  return { context, clones, said, abort };
}
const failedNames = (record: DrillRecord) => record.members.filter((m) => m.failure).map((m) => m.name);

test('a good drill measures age and time of every member, and leaves nothing', async () => {
  const { context, clones, said } = world();
  const record = await rehearse(job, context);
  expect(record).toMatchObject({
    outcome: 'passed',
    rpaMs: 900,
    reason: '',
    cleanup: { complete: true, clonesRemoved: 3 },
  });
  expect(record.members.map((m) => m.rpaMs)).toEqual([900, 800, 700]);
  expect(record.members.every((m) => m.contentEqual)).toBe(true);
  expect(record.rtaMs).toBe(Math.max(...record.members.map((m) => m.rtaMs ?? 0)));
  expect(clones.size).toBe(0);
  expect(said[0]).toBe('Wave 1, Data: vm-1, vm-2');
});

test('a failed check fails the drill, later waves are not begun, and all is cleaned up', async () => {
  const refuse = new ControllerError({ code: 'check-failed', subject: 'vm-2', detail: 'port: no answer' });
  const { context, clones } = world({
    check: (key, check) =>
      key === 'd7.2' && check === 'port' ? Promise.reject(refuse) : Promise.resolve({ passedMs: 0, detail: '' }),
  });
  const record = await rehearse(job, context);
  expect(record).toMatchObject({ outcome: 'failed', rtaMs: null, cleanup: { complete: true } });
  expect(failedNames(record)).toEqual(['vm-2']);
  expect(record.members[1]?.checks.at(-1)).toEqual({ check: 'port', passedMs: null, detail: 'port: no answer' });
  expect(record.members[2]?.startedMs).toBeNull();
  expect(clones.size).toBe(0);
});

test('content that differs from its point is no proof', async () => {
  const { context } = world({ contentDigest: () => Promise.resolve('other') });
  const record = await rehearse(job, context);
  expect(record).toMatchObject({ outcome: 'failed', rtaMs: null });
  expect(record.members[0]).toMatchObject({
    contentEqual: false,
    failure: { title: expect.stringContaining('differs') },
  });
});

test('a member without a usable point is named', async () => {
  const { context } = world();
  const record = await rehearse({ ...job, points: new Map([...job.points].slice(1)) }, context);
  expect(failedNames(record)).toEqual(['vm-1']);
});

test('cancelled half-way: the record says so, and nothing is left', async () => {
  const { context, clones, abort } = world({ boot: () => (abort.abort(), Promise.resolve({ bootedMs: 5000 })) });
  const record = await rehearse(job, context);
  expect(record).toMatchObject({ outcome: 'cancelled', reason: 'cancelled by a person', cleanup: { complete: true } });
  expect(clones.size).toBe(0);
});

test('a clone that cannot be removed is tried again; what stays is named and the drill did not pass', async () => {
  let tries = 0;
  const { context } = world({
    removeClone: (key) => (key === 'd7.3' ? (tries++, Promise.reject(new Error('down'))) : Promise.resolve()),
  });
  const record = await rehearse(job, context);
  expect(record).toMatchObject({
    outcome: 'failed',
    reason: 'not cleaned up',
    cleanup: { complete: false, clonesRemoved: 2, left: ['vm-3'] },
  });
  expect(tries).toBeGreaterThan(10);
});
