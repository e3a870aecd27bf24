import { atLeast, availability, downtime, inParallel, inSeries, survival } from '@/core/recover/reliability';

const near = (value: number, expected: number, within = 1e-12) =>
  expect(Math.abs(value - expected)).toBeLessThanOrEqual(within);

// Section 17 of the checks: by definition; reproduced with python Fraction, scipy and Decimal.
test('17-A: in a row and beside each other', () => {
  near(inSeries([0.99, 0.995, 0.999]), 0.98406495);
  near(inParallel([0.99, 0.99]), 0.9999);
  near(inParallel([0.9, 0.95, 0.99]), 0.99995);
  near(inSeries([inParallel([0.99, 0.99]), 0.999]), 0.9989001);
  near(inParallel([0.99 * 0.98, 0.99 * 0.98]), 0.99911196);
});
test('17-B1: from times between failures and to repair', () => {
  near(availability(1000, 4), 0.996015936, 1e-9);
  near(availability(8760, 1), 0.999885858, 1e-9);
  near(availability(43_800, 24), 0.999452355, 1e-9);
});
test.each<[string, number, number[], number]>([
  ['17-Q1', 2, [0.99, 0.99, 0.99], 0.999702],
  ['17-Q2', 3, Array<number>(5).fill(0.99), 0.9999901494],
  ['17-Q3', 2, [0.99, 0.99, 0.999], 0.9998802],
  ['17-Q4', 2, [0.99, 0.99], 0.9801],
  ['17-Q5', 3, Array<number>(4).fill(0.99), 0.99940797],
  ['17-Q6', 2, [0.9, 0.9, 0.9], 0.972],
  ['17-Q7', 2, [0.95, 0.95, 0.5], 0.95],
  ['17-Q8', 4, Array<number>(7).fill(0.95), 0.999806421875],
])('%s: %d of %j', (_id, k, parts, expected) => near(atLeast(k, parts), expected, 1e-9));
test('17-D: downtime', () => {
  const year = 365 * 24 * 60;
  [5256, 525.6, 52.56, 5.256, 0.5256].forEach((min, i) => near(downtime(1 - 10 ** -(i + 2), year), min, 1e-9));
  near(downtime(0.99999, 365.25 * 1440), 5.2596, 1e-9);
  near(downtime(0.999, 365.25 * 24), 8.766, 1e-9);
  near(downtime(0.9995, 365 * 24), 4.38, 1e-9);
  near(downtime(0.999, 30 * 1440), 43.2, 1e-9);
  near(downtime(0.9999, 30 * 1440), 4.32, 1e-9);
});
test('17-E: copies, survival and steps', () => {
  near(inParallel([0.95, 0.95]), 0.9975);
  near(inParallel([0.95, 0.95, 0.95]), 0.999875);
  near(inParallel([0.98, 0.98]), 0.9996);
  near(survival(1e6, 8760), 0.991278258, 1e-9);
  near(1 - survival(1e6, 8760), 0.008721742, 1e-9);
  near(inSeries(Array<number>(12).fill(0.99)), 0.886384871716, 1e-11);
  near(inSeries(Array<number>(12).fill(0.999)), 0.988065780494, 1e-11);
});
