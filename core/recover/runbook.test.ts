import {
  estimateTimeline,
  predecessorsOf,
  readinessOf,
  type Member,
  type ReadinessInput,
  type RunbookPlan,
} from '@/core/recover/runbook';
import { GIB, MINUTE } from '@/core/units';

const member = (workloadId: number, after: number[] = []): Member => ({
  workloadId,
  name: `vm-${workloadId}`,
  clusterId: 1,
  networkId: 5,
  address: `192.0.2.${workloadId}`,
  after,
  checks: ['ping'],
});
const plan: RunbookPlan = {
  waves: [
    { name: 'Data', members: [member(1), member(2)] },
    { name: 'Services', members: [member(3), member(4, [3])] },
  ],
};
const minutes = (m: Record<number, number>) => new Map(Object.entries(m).map(([id, n]) => [Number(id), n * MINUTE]));
const good: ReadinessInput = {
  plan,
  applicationWorkloads: [1, 2, 3, 4].map((id) => ({ id, name: `vm-${id}` })),
  points: new Map([1, 2, 3, 4].map((id) => [id, { takenMs: 0, diskIds: [id * 10] }])),
  neededDisks: new Map([1, 2, 3, 4].map((id) => [id, [id * 10]])),
  needs: new Map([1, 2, 3, 4].map((id) => [id, { cores: 4, memoryBytes: 8 * GIB }])),
  clusters: new Map([[1, { name: 'mil-c1', freeCores: 16, freeMemoryBytes: 32 * GIB }]]),
  networks: new Map([[5, { name: 'ticket-core', isTest: false }]]),
  testNetworkId: 9,
  estimate: estimateTimeline(plan, minutes({ 1: 10, 2: 4, 3: 5, 4: 6 })),
  rtoMs: 30 * MINUTE,
};
const wrong = (change: Partial<ReadinessInput>) =>
  readinessOf({ ...good, ...change })
    .filter((c) => !c.ready)
    .map((c) => c.finding);

test('a wave waits for the one before, and for its own dependencies', () => {
  expect(predecessorsOf(plan).get(4)).toEqual([1, 2, 3]);
  expect(good.estimate).toMatchObject({ kind: 'timed', duration: 21 * MINUTE, criticalPath: ['1', '3', '4'] });
});

test('a ready runbook passes every check', () => expect(wrong({})).toEqual([]));

test.each<[string, Partial<ReadinessInput>, string]>([
  [
    'a workload left out',
    { applicationWorkloads: [...good.applicationWorkloads, { id: 9, name: 'vm-9' }] },
    'vm-9 is in no wave',
  ],
  ['no point', { points: new Map([...good.points].slice(1)) }, 'vm-1 has no usable point at the target site'],
  ['a disk in no point', { neededDisks: new Map([[1, [10, 11]]]) }, '1 disk of vm-1 is in no point'],
  [
    'too little room',
    { clusters: new Map([[1, { name: 'mil-c1', freeCores: 15, freeMemoryBytes: 32 * GIB }]]) },
    'mil-c1 has 15 cores and 32 GiB free, needs 16 cores, 32 GiB',
  ],
  ['no test network', { testNetworkId: null }, 'the target site has no test network for drills'],
  [
    'an unmapped network',
    { networks: new Map() },
    'vm-1 is mapped to no network; vm-2 is mapped to no network; vm-3 is mapped to no network; vm-4 is mapped to no network',
  ],
  ['too slow', { rtoMs: 20 * MINUTE }, 'estimated 21 min of 20 min'],
])('%s is found', (_name, change, finding) => expect(wrong(change)).toEqual([finding]));

test('one address twice is found', () => {
  const twin = { ...member(2), address: '192.0.2.1' };
  expect(wrong({ plan: { waves: [{ name: 'Data', members: [member(1), twin, member(3), member(4)] }] } })).toEqual([
    'two members have the address 192.0.2.1',
  ]);
});
