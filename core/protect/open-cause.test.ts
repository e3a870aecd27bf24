/** Source: none; what is told is our own, and the numbers of the examples are counted by hand. */
import {
  badPointsCause,
  failureCauses,
  lateCauses,
  leftSnapshotsCause,
  siteCause,
  spaceCause,
  strangersCause,
  type FillingPlace,
} from '@/core/protect/open-cause';
import { DAY } from '@/core/units';

const NOW = Date.UTC(2026, 2, 12, 8);

test('failing lanes of one code and subject are one cause; a workload with two of them counts once', () => {
  const lane = (code: string, workloadId: number, isOver = false) => ({
    code,
    subject: 'Norde link',
    workloadId,
    isOver,
  });
  const causes = failureCauses([
    lane('link-down', 1),
    lane('link-down', 1, true),
    lane('link-down', 2),
    lane('mover-gone', 3),
  ]);
  expect(causes).toEqual([
    {
      key: 'link-down/Norde link',
      title: 'Link Norde link is down',
      state: 'over',
      workloads: 2,
      effect: '2 workloads affected, 1 over.',
    },
    {
      key: 'mover-gone/Norde link',
      title: 'Data mover Norde link is gone',
      state: 'inside',
      workloads: 1,
      effect: '1 workload affected, all inside so far.',
    },
  ]);
});

test('late workloads fold by what holds them up, over and closing apart', () => {
  const w = (id: number, standing: 'over' | 'closing') => ({ id, name: `vm-${id}`, standing });
  const pause = { title: 'Site Norde is paused', words: 'no run begins until it ends.' };
  const causes = lateCauses(
    [w(1, 'over'), w(2, 'over'), w(3, 'closing'), w(4, 'over'), w(5, 'over'), w(6, 'over'), w(7, 'over')],
    new Map([1, 2, 3].map((id) => [id, pause])),
  );
  expect(causes.map(({ key, state, workloadIds }) => [key, state, workloadIds])).toEqual([
    ['late-over/Site Norde is paused', 'over', [1, 2]],
    ['late-closing/Site Norde is paused', 'closing', [3]],
    ['late-over', 'over', [4, 5, 6, 7]],
  ]);
  expect(causes.map((c) => c.effect)).toEqual([
    'vm-1, vm-2: no run begins until it ends.',
    'vm-3: no run begins until it ends.',
    'vm-4, vm-5, vm-6 and 1 more: no run has failed; their lanes are too slow or too far apart.',
  ]);
});

const place = (over: Partial<FillingPlace>): FillingPlace => ({
  kind: 'repository',
  name: 'nor-r1',
  capacityBytes: 100e9,
  usedBytes: 50e9,
  bytesPerDay: 1e9,
  fullMs: NOW + 50 * DAY,
  ...over,
});

test.each<[string, Partial<FillingPlace>, string | null, string]>([
  ['room for long', {}, null, ''],
  ['full within the month', { fullMs: NOW + 29 * DAY }, 'inside', '1.0 GB a day it is full in 29 days, on 10 Apr 2026'],
  ['full within the week', { fullMs: NOW + 6 * DAY }, 'closing', 'in 6 days, on 18 Mar 2026'],
  ['nine tenths used, not growing', { usedBytes: 90e9, fullMs: null }, 'inside', 'does not grow at present'],
  ['critical', { usedBytes: 95e9, fullMs: null }, 'closing', 'It takes no first copies'],
  ['never read', { usedBytes: null, bytesPerDay: null, fullMs: null }, null, ''],
])('a place with %s', (_name, over, state, words) => {
  const cause = spaceCause(place(over), NOW);
  expect(cause?.state ?? null).toBe(state);
  expect(cause?.effect ?? '').toContain(words);
});

test('a datastore takes no copies by that rule, so nothing is said of first copies', () => {
  const cause = spaceCause(place({ kind: 'datastore', name: 'nor-s1', usedBytes: 96e9, fullMs: null }), NOW);
  expect(cause).toMatchObject({ title: 'Datastore nor-s1 is running out of space', state: 'inside' });
  expect(cause?.effect).not.toContain('first copies');
});

test('what places and sites hold besides: keys stay from look to look, numbers are in the title', () => {
  const causes = [
    badPointsCause({ place: 'nor-r1', cause: 'rotten', points: 1, workloads: 1 }),
    badPointsCause({ place: 'nor-r1', cause: 'missing', points: 2, workloads: 1 }),
    strangersCause('nor-r1', 1),
    leftSnapshotsCause(2, 1, 'Held by a reader.'),
    siteCause('Norde', 'default-password'),
    siteCause('Norde', 'wrong-clock'),
  ];
  expect(causes.map((c) => [c.key, c.state, c.title])).toEqual([
    ['bad/rotten/nor-r1', 'over', '1 point at nor-r1 read back wrong'],
    ['bad/missing/nor-r1', 'over', '2 points at nor-r1 are not there'],
    ['found/nor-r1', 'inside', '1 copy at nor-r1 belongs to nothing here'],
    ['left-snapshots', 'inside', '2 snapshots cannot be removed'],
    ['password/Norde', 'inside', 'Norde still has the password it came with'],
    ['clock/Norde', 'closing', 'The clock of Norde is wrong'],
  ]);
});
