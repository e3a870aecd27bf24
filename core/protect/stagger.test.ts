import { nextDue, staggerMs } from '@/core/protect/stagger';
import { HOUR, MINUTE } from '@/core/units';

const hourly = { kind: 'every', everyMs: HOUR, offsetMs: 0 } as const;

test('neighbours are spread over the cadence and keep their place', () => {
  const shifts = Array.from({ length: 60 }, (_, i) => staggerMs(hourly, i + 1)).sort((a, b) => a - b);
  const gaps = shifts.slice(1).map((shift, i) => shift - (shifts[i] as number));
  expect(Math.max(...gaps)).toBeLessThan(3 * MINUTE);
  expect(staggerMs(hourly, 7)).toBe(staggerMs(hourly, 7));
});

test('due instants stay one cadence apart, strictly after what is asked', () => {
  const first = nextDue(hourly, 5, 0) as number;
  expect(first).toBeGreaterThan(0);
  expect(nextDue(hourly, 5, first)).toBe(first + HOUR);
  expect(nextDue({ kind: 'by-hand' }, 5, 0)).toBeNull();
});
