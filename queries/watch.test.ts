import { countStandings, type WorkloadStanding } from '@/queries/standing';
import { groupBars } from '@/queries/watch';
import { matches, type WorkloadFilter } from '@/queries/workloads';

const MIN = 60_000;
const standing = (id: number, over: Partial<WorkloadStanding> = {}): WorkloadStanding => ({
  id,
  name: `tkt-db-${id}`,
  applicationId: 1,
  application: 'Ticketing',
  tier: 1,
  siteId: 1,
  site: 'Ostgate',
  takenMs: 0,
  rpoMs: 15 * MIN,
  exposureMs: id * MIN,
  standing: 'inside',
  overAtMs: null,
  unproven: false,
  provenMs: null,
  ...over,
});

test('counts add up: inside includes closing', () => {
  const list = [standing(1), standing(2, { standing: 'closing' }), standing(3, { standing: 'over', unproven: true })];
  expect(countStandings(list)).toEqual({ total: 3, over: 1, closing: 1, unproven: 1 });
});

test('a group with one miss shows it: its bar is the worst, solid to the median', () => {
  const list = [
    standing(1),
    standing(2),
    standing(20, { standing: 'over' }),
    standing(3, { siteId: 2, site: 'Millbrook' }),
  ];
  const bars = groupBars(list);
  expect(bars).toHaveLength(2);
  expect(bars[0]).toMatchObject({
    label: 'Ticketing',
    members: 3,
    over: 1,
    standing: 'over',
    exposureMs: 20 * MIN,
    medianMs: 2 * MIN,
  });
});

test('a workload without any point is the worst of its group', () => {
  const [bar] = groupBars([standing(1), standing(2, { exposureMs: null, standing: 'over' })]);
  expect(bar).toMatchObject({ exposureMs: null, standing: 'over' });
});

test('more groups than fit become tiers at sites', () => {
  const list = Array.from({ length: 600 }, (_, i) =>
    standing(i + 1, { applicationId: i, siteId: 1 + (i % 3), tier: 1 + (i % 2) }),
  );
  const bars = groupBars(list);
  expect(bars).toHaveLength(6);
  expect(bars.reduce((sum, b) => sum + b.members, 0)).toBe(600);
});

const ALL: WorkloadFilter = {
  text: '',
  standing: '',
  tier: '',
  site: '',
  policy: '',
  unproven: false,
  sort: 'used',
  descending: true,
};
test.each<[string, Partial<WorkloadFilter>, Partial<WorkloadStanding>, boolean]>([
  ['no filter', {}, {}, true],
  ['part of the name, any case', { text: 'KT-D' }, {}, true],
  ['part of the application', { text: 'ticket' }, {}, true],
  ['another name', { text: 'pay' }, {}, false],
  ['inside includes closing', { standing: 'inside' }, { standing: 'closing' }, true],
  ['over is not inside', { standing: 'inside' }, { standing: 'over' }, false],
  ['closing only', { standing: 'closing' }, {}, false],
  ['tier', { tier: '2' }, {}, false],
  ['site', { site: 'Ostgate' }, {}, true],
  ['unproven', { unproven: true }, {}, false],
  ['policy', { policy: '4' }, {}, true],
  ['another policy', { policy: '5' }, {}, false],
  ['no policy', { policy: 'none' }, {}, false],
])('filter: %s', (_name, filter, over, expected) => {
  expect(matches(standing(1, over), { ...ALL, ...filter }, { policy_id: 4 })).toBe(expected);
});
test('filter: enrolled nowhere', () => {
  expect(matches(standing(1), { ...ALL, policy: 'none' }, undefined)).toBe(true);
});
