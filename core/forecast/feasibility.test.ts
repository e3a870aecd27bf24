import fc from 'fast-check';
import { feasibility, type FeasibilityInput } from '@/core/forecast/feasibility';
import { HOUR, MINUTE } from '@/core/units';

const input = (over: Partial<FeasibilityInput> = {}): FeasibilityInput => ({
  rpoMs: HOUR,
  everyMs: HOUR,
  setupMs: 0,
  bytesPerMs: 1,
  lineBytesPerMs: 3,
  ...over,
});

// 4-A1 and 4-C2 of the checks (by definition): hourly and 20 min until usable is a worst of 80 min; with that delay 40 min keep an hour.
test('4-A1: hourly with a transfer of 20 min has a worst of 80 min, and misses an hour', () => {
  expect(feasibility(input())).toMatchObject({
    worstMs: 80 * MINUTE,
    usableAfterMs: 20 * MINUTE,
    feasible: false,
    reason: 'run-too-long',
  });
});
test.each([
  [HOUR, 20 * MINUTE, 40 * MINUTE],
  [15 * MINUTE, 5 * MINUTE, 10 * MINUTE],
  [240 * MINUTE, 90 * MINUTE, 150 * MINUTE],
])('4-C2: the longest cadence for %d ms with a fixed delay of %d ms', (rpoMs, setupMs, everyMs) => {
  expect(feasibility(input({ rpoMs, everyMs: rpoMs, setupMs, bytesPerMs: 0 })).change).toEqual({
    kind: 'cadence',
    everyMs,
  });
});
test('a line slower than the changes never catches up, and needs to be this fast', () => {
  const found = feasibility(input({ everyMs: 20 * MINUTE, bytesPerMs: 5 }));
  expect(found).toMatchObject({ worstMs: Infinity, reason: 'line-too-slow' });
  expect(found.change).toEqual({ kind: 'line', bytesPerMs: 5 });
});
test('a cadence longer than the RPO is named, and nothing helps where the run alone takes longer', () => {
  expect(feasibility(input({ everyMs: 2 * HOUR })).reason).toBe('cadence-too-long');
  expect(feasibility(input({ setupMs: 2 * HOUR })).change).toBeNull();
  expect(feasibility(input({ rpoMs: 2 * HOUR }))).toMatchObject({ feasible: true, reason: 'fits', change: null });
});
test('law: the change makes it feasible, and a tenth less of it does not', () => {
  const spans = fc.integer({ min: 1, max: 600 }).map((m) => m * MINUTE);
  fc.assert(
    fc.property(
      spans,
      spans,
      fc.integer({ min: 0, max: 60 }),
      fc.integer({ min: 0, max: 50 }),
      fc.integer({ min: 1, max: 50 }),
      (rpoMs, everyMs, setupMin, c, r) => {
        const base = { rpoMs, everyMs, setupMs: setupMin * MINUTE, bytesPerMs: c, lineBytesPerMs: r };
        const { feasible, change } = feasibility(base);
        if (feasible || !change) return;
        const changed = (more: number) =>
          change.kind === 'cadence'
            ? { ...base, everyMs: change.everyMs * more }
            : { ...base, lineBytesPerMs: (change.bytesPerMs * (1 + 1e-6)) / more };
        expect(feasibility(changed(1)).feasible).toBe(true);
        if (change.kind === 'cadence') expect(feasibility(changed(1.1)).feasible).toBe(false);
      },
    ),
    { numRuns: 300 },
  );
});
