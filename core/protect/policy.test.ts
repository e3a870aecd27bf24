import { laneChanges, type Lane } from '@/core/protect/policy';
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
