import { coverageOf, shareProven, type DrillFact } from '@/core/prove/coverage';
import { DAY } from '@/core/units';

const at = (iso: string) => Date.parse(iso);
const NOW = at('2026-03-12T08:00Z');
const drill = (applicationId: number, iso: string, outcome: DrillFact['outcome']): DrillFact => ({
  applicationId,
  atMs: at(iso),
  outcome,
});
const applications = [1, 2, 3].map((id) => ({ id, intervalMs: 90 * DAY }));
const drills = [
  drill(1, '2026-01-10T10:00Z', 'failed'),
  drill(1, '2026-01-31T23:30Z', 'passed'),
  drill(2, '2025-10-01T10:00Z', 'passed'),
  drill(2, '2026-03-01T10:00Z', 'failed'),
  drill(3, '2026-02-02T10:00Z', 'cancelled'),
  drill(3, '2026-04-01T10:00Z', 'passed'),
];

test('proven, overdue and never are told from drills up to the moment shown; cancelled ones prove nothing', () => {
  const coverage = coverageOf(applications, drills, NOW, 'Europe/Oslo', 3);
  expect(coverage.map((c) => [c.applicationId, c.state, c.passed, c.held])).toEqual([
    [1, 'proven', 1, 2],
    [2, 'overdue', 1, 2],
    [3, 'never', 0, 0],
  ]);
  expect(coverage[0]?.provenUntilMs).toBe(at('2026-01-31T23:30Z') + 90 * DAY);
  expect(shareProven(coverage)).toBeCloseTo(1 / 3, 12);
  expect(shareProven([])).toBe(1);
});

test('months are those of the zone: half past eleven at night in January is February in Oslo', () => {
  const [first] = coverageOf(applications, drills, NOW, 'Europe/Oslo', 3);
  expect(first?.months).toEqual([
    { month: '2026-01', best: 'failed' },
    { month: '2026-02', best: 'passed' },
    { month: '2026-03', best: 'none' },
  ]);
  expect(coverageOf(applications, drills, NOW, 'UTC', 14)[1]?.months[0]?.month).toBe('2025-02');
});

test('few drills do not look like certainty (Wilson, 13-B)', () => {
  const [first] = coverageOf([{ id: 9, intervalMs: DAY }], [drill(9, '2026-03-12T07:00Z', 'passed')], NOW, 'UTC', 1);
  expect(first?.interval.low).toBeCloseTo(0.206549, 6);
  expect(first?.words).toMatch(/between 21% and 100%/);
});
