import { chainOf, drivingCadence, followersOf, laneChanges, type Lane } from '@/core/protect/policy';
import { HOUR } from '@/core/units';

const lane: Lane = {
  key: 'snapshot',
  kind: 'snapshot',
  cadence: { kind: 'every', everyMs: HOUR, offsetMs: 0 },
  ladder: { reading: 'newest', count: 3 },
  consistency: 'crash',
  excludeRoles: ['scratch'],
  targets: {},
};
test('changes name the lane and the part', () => {
  const shorter: Lane = { ...lane, ladder: { reading: 'newest', count: 2 } };
  expect(laneChanges([lane], [shorter, { ...lane, key: 'backup' }])).toEqual([
    { key: 'snapshot', what: ['ladder'] },
    { key: 'backup', what: ['new lane'] },
  ]);
  expect(laneChanges([lane], [lane])).toEqual([]);
});

const after = (key: string, source: string): Lane => ({ ...lane, key, cadence: { kind: 'after', lane: source } });

test('a lane after another runs by the cadence of the first of them', () => {
  const lanes = [lane, after('copy', 'snapshot'), after('second', 'copy')];
  expect(chainOf(lanes, lanes[2] as Lane).map((l) => l.key)).toEqual(['second', 'copy', 'snapshot']);
  expect(drivingCadence(lanes, lanes[2] as Lane)).toBe(lane.cadence);
  expect(drivingCadence(lanes, lane)).toBe(lane.cadence);
  expect(followersOf(lanes, 'copy').map((l) => l.key)).toEqual(['second']);
});

test('a circle or a name that leads nowhere ends the chain', () => {
  const circle = [after('a', 'b'), after('b', 'a')];
  expect(chainOf(circle, circle[0] as Lane).map((l) => l.key)).toEqual(['a', 'b']);
  expect(drivingCadence(circle, circle[0] as Lane)).toEqual({ kind: 'after', lane: 'a' });
  expect(chainOf([lane], after('copy', 'gone')).map((l) => l.key)).toEqual(['copy']);
});
