import { explainRule, laneChanges, type Lane } from '@/core/protect/policy';
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
const facts = { tier: '1', site: 'Ostgate', application: 'Ticketing', role: 'database' };

test('a rule matches when all conditions hold, and says which do', () => {
  const rule = {
    conditions: [
      { field: 'tier' as const, anyOf: ['1', '2'] },
      { field: 'site' as const, anyOf: ['Norde'] },
    ],
  };
  expect(explainRule(rule, facts)).toEqual({
    matches: false,
    answers: [
      { question: 'tier is 1 or 2', value: '1', holds: true },
      { question: 'site is Norde', value: 'Ostgate', holds: false },
    ],
  });
  expect(explainRule({ conditions: [] }, facts).matches).toBe(true);
});

test('changes name the lane and the part', () => {
  const shorter: Lane = { ...lane, ladder: { reading: 'newest', count: 2 } };
  expect(laneChanges([lane], [shorter, { ...lane, key: 'backup' }])).toEqual([
    { key: 'snapshot', what: ['ladder'] },
    { key: 'backup', what: ['new lane'] },
  ]);
  expect(laneChanges([lane], [lane])).toEqual([]);
});
