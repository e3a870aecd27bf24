import fc from 'fast-check';
import {
  fates,
  lossRow,
  lossSweep,
  pairSweep,
  survey,
  type Fate,
  type LossFacts,
  type LossPoint,
  type LossWorkload,
} from '@/core/recover/loss';
import { GIB, HOUR, MINUTE } from '@/core/units';

const NOW = Date.parse('2026-03-12T08:00Z');
const workload = (id: number, over: Partial<LossWorkload> = {}): LossWorkload => ({
  id,
  applicationId: 1,
  tier: 1,
  rpoMs: HOUR,
  rtoMs: HOUR,
  siteId: 1,
  runsOn: ['site:1', 'cluster:1', 'datastore:1'],
  cores: 4,
  memoryBytes: 8 * GIB,
  bootMs: 2 * MINUTE,
  bootDisks: [1],
  ...over,
});
const point = (workloadId: number, place: string, agoMin: number, over: Partial<LossPoint> = {}): LossPoint => ({
  workloadId,
  place,
  takenMs: NOW - agoMin * MINUTE,
  usableMs: NOW - agoMin * MINUTE + MINUTE,
  goneMs: null,
  corrupt: false,
  diskIds: [1, 2],
  bytes: 600_000,
  ...over,
});
const facts = (over: Partial<LossFacts> = {}): LossFacts => ({
  workloads: [workload(1)],
  points: [point(1, 'datastore:1', 5), point(1, 'datastore:2', 15), point(1, 'repository:2', 300)],
  places: [
    { id: 'datastore:1', siteId: 1, needs: ['site:1'], startsAtOnce: true, bytesPerMs: 1 },
    { id: 'datastore:2', siteId: 2, needs: ['site:2'], startsAtOnce: true, bytesPerMs: 1 },
    { id: 'repository:2', siteId: 2, needs: ['site:2', 'mover:2'], startsAtOnce: false, bytesPerMs: 1 },
  ],
  clusters: [
    { id: 'cluster:1', siteId: 1, needs: ['site:1'], freeCores: 0, freeMemoryBytes: 0 },
    { id: 'cluster:2', siteId: 2, needs: ['site:2'], freeCores: 8, freeMemoryBytes: 16 * GIB },
  ],
  links: [{ id: 'link:1', sites: [1, 2], bytesPerMs: 0.5 }],
  ...over,
});
const fate = (f: LossFacts, lost: readonly string[], badSinceMs?: number): Fate =>
  fates(survey(f, NOW, badSinceMs), {
    lost: new Set(lost),
    ...(badSinceMs === undefined ? {} : { badSinceMs }),
  })[0] as Fate;

test('nothing of its own is lost: it runs on', () =>
  expect(fate(facts(), ['repository:2', 'link:1'])).toEqual({ kind: 'runs' }));
test('its datastore is gone: the newest copy that survives, started where it lies', () => {
  expect(fate(facts(), ['datastore:1'])).toEqual({
    kind: 'back',
    place: 'datastore:2',
    cluster: 'cluster:2',
    takenMs: NOW - 15 * MINUTE,
    ageMs: 15 * MINUTE,
    tookMs: 2 * MINUTE,
    withinRpo: true,
    withinRto: true,
  });
});
test('with the replica gone too the backup is copied back, and is too old', () => {
  // 600,000 bytes at 1 byte a ms are 10 min.
  expect(fate(facts(), ['site:1', 'datastore:2'])).toMatchObject({
    place: 'repository:2',
    tookMs: 12 * MINUTE,
    withinRpo: false,
    withinRto: true,
  });
});
test('without a mover nothing comes out of its repository', () => {
  expect(fate(facts(), ['site:1', 'datastore:2', 'mover:2'])).toEqual({ kind: 'lost', reason: 'no-point' });
});
test('a copy elsewhere is sent over the line that is left, or there is no way', () => {
  const full = facts({
    clusters: [{ id: 'cluster:1', siteId: 1, needs: ['site:1'], freeCores: 8, freeMemoryBytes: 16 * GIB }],
  });
  expect(fate(full, ['datastore:1'])).toMatchObject({
    cluster: 'cluster:1',
    place: 'datastore:2',
    tookMs: 22 * MINUTE,
  });
  expect(fate(full, ['datastore:1', 'link:1'])).toEqual({ kind: 'lost', reason: 'no-way' });
});
test('room is given to the tier that is worth most, and the room of the dead counts where the cluster stands', () => {
  const two = facts({
    workloads: [workload(1, { tier: 2, cores: 8 }), workload(2, { tier: 1, cores: 6, applicationId: 2 })],
    points: [point(1, 'datastore:2', 15), point(2, 'datastore:2', 15)],
  });
  const found = fates(survey(two, NOW), { lost: new Set(['site:1']) });
  expect(found.map((f) => f.kind)).toEqual(['lost', 'back']);
  expect(found[0]).toEqual({ kind: 'lost', reason: 'no-room' });
  expect(fates(survey(two, NOW), { lost: new Set(['datastore:1']) }).map((f) => f.kind)).toEqual(['back', 'back']);
});
test('copies are read one after the other, the worthiest first', () => {
  const two = facts({
    workloads: [workload(1, { tier: 2 }), workload(2)],
    points: [point(1, 'repository:2', 30), point(2, 'repository:2', 30)],
  });
  const took = fates(survey(two, NOW), { lost: new Set(['site:1']) }).map((f) =>
    f.kind === 'back' ? f.tookMs / MINUTE : null,
  );
  expect(took).toEqual([22, 12]);
});
test.each<[string, Partial<LossPoint>]>([
  ['is corrupt', { corrupt: true }],
  ['is not complete yet', { usableMs: NOW + 1 }],
  ['is gone', { goneMs: NOW - 1 }],
  ['lacks the system disk', { diskIds: [2] }],
])('a point that %s does not count', (_name, over) => {
  expect(fate(facts({ points: [point(1, 'datastore:2', 15, over)] }), ['site:1'])).toEqual({
    kind: 'lost',
    reason: 'no-point',
  });
});
test('data bad since an hour: everybody goes back to before it, also in place', () => {
  const found = fate(facts(), [], NOW - HOUR);
  expect(found).toMatchObject({ kind: 'back', place: 'repository:2', ageMs: 5 * HOUR, withinRpo: false });
});
test('the sweep has a row a part, the worst first, and pairs on demand', () => {
  const rows = lossSweep(survey(facts(), NOW), ['link:1', 'site:2', 'site:1', 'datastore:1']);
  expect(rows.map((row) => [row.parts[0], row.down, row.lost])).toEqual([
    ['site:1', 1, 0],
    ['datastore:1', 1, 0],
    ['link:1', 0, 0],
    ['site:2', 0, 0],
  ]);
  const pairs = pairSweep(survey(facts(), NOW), ['site:1', 'site:2', 'link:1']);
  expect(pairs.map((row) => [row.parts.join('+'), row.lost])).toEqual([
    ['site:1+site:2', 1],
    ['site:1+link:1', 0],
    ['site:2+link:1', 0],
  ]);
  expect(pairs[0]?.applications).toEqual([1]);
});
test('law: losing more never brings more back, and every workload has one fate', () => {
  const parts = ['site:1', 'site:2', 'datastore:1', 'datastore:2', 'repository:2', 'cluster:2', 'link:1', 'mover:2'];
  fc.assert(
    fc.property(fc.subarray(parts), fc.constantFrom(...parts), fc.integer({ min: 1, max: 8 }), (lost, more, count) => {
      const many = facts({
        workloads: Array.from({ length: count }, (_, i) => workload(i + 1, { cores: 1, memoryBytes: GIB })),
        points: Array.from({ length: count }, (_, i) => [
          point(i + 1, 'datastore:2', 10 + i),
          point(i + 1, 'repository:2', 90),
        ]).flat(),
      });
      const surveyed = survey(many, NOW);
      const row = lossRow(surveyed, { lost: new Set(lost) });
      const worse = lossRow(surveyed, { lost: new Set([...lost, more]) });
      expect(row.down).toBe(row.back + row.lost);
      expect(worse.down).toBeGreaterThanOrEqual(row.down);
      expect(worse.lost).toBeGreaterThanOrEqual(row.lost);
    }),
  );
});
