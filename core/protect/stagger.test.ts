import { nextDue, staggerMs } from '@/core/protect/stagger';
import { HOUR, MINUTE } from '@/core/units';

const five = { workload_id: 5, application_id: 9 };
const hourly = { kind: 'every', everyMs: HOUR, offsetMs: 0 } as const;

test('neighbours are spread over the cadence and keep their place', () => {
  const shifts = Array.from({ length: 60 }, (_, i) => staggerMs(hourly, i + 1)).sort((a, b) => a - b);
  const gaps = shifts.slice(1).map((shift, i) => shift - (shifts[i] as number));
  expect(Math.max(...gaps)).toBeLessThan(3 * MINUTE);
  expect(staggerMs(hourly, 7)).toBe(staggerMs(hourly, 7));
});

test('due instants stay one cadence apart, strictly after what is asked', () => {
  const first = nextDue({ cadence: hourly }, five, 0) as number;
  expect(first).toBeGreaterThan(0);
  expect(nextDue({ cadence: hourly }, five, first)).toBe(first + HOUR);
  expect(nextDue({ cadence: { kind: 'by-hand' } }, five, 0)).toBeNull();
});

test('what is captured together is due together, whatever its own number', () => {
  const six = { workload_id: 6, application_id: 9 };
  const due = (together: boolean) => [five, six].map((of) => nextDue({ cadence: hourly, together }, of, 0));
  expect(new Set(due(true)).size).toBe(1);
  expect(new Set(due(false)).size).toBe(2);
});
