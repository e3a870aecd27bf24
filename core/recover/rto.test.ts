import { normal, seededRandom } from '@/core/random';
import { NoOrder, simulateRto, SPREAD, type RtoMember } from '@/core/recover/rto';
import { MINUTE } from '@/core/units';

const member = (id: string, minutes: readonly number[], ...after: string[]): RtoMember => ({
  id,
  after,
  measuredMs: minutes.map((m) => m * MINUTE),
});
const OPTIONS = { runs: 4000, seed: 20_260_312 };
const often = (minutes: number) => Array<number>(400).fill(minutes);

test('chance from a seed is uniform, normal where asked, and repeats itself', () => {
  const random = seededRandom(1);
  const values = Array.from({ length: 20_000 }, random);
  const mean = values.reduce((a, b) => a + b, 0) / values.length;
  expect(Math.abs(mean - 0.5)).toBeLessThan(4 / Math.sqrt(12 * values.length));
  const draws = Array.from({ length: 20_000 }, () => normal(random));
  expect(Math.abs(draws.reduce((a, b) => a + b, 0) / draws.length)).toBeLessThan(4 / Math.sqrt(draws.length));
  expect(Array.from({ length: 3 }, seededRandom(1))).toEqual(values.slice(0, 3));
});

// By definition: a chain adds, a fork takes the longer; with hundreds of equal measurements little is left to chance.
test('a chain adds up, a fork takes its longer arm, and the longest chain is named', () => {
  const members = [
    member('db', often(10)),
    member('app', often(20), 'db'),
    member('net', often(5)),
    member('web', often(5), 'app', 'net'),
  ];
  const result = simulateRto(members, 40 * MINUTE, OPTIONS);
  expect(Math.abs(result.meanMs / (35 * MINUTE) - 1)).toBeLessThan(0.01);
  expect(result.chance).toBeGreaterThan(0.99);
  expect(simulateRto(members, 30 * MINUTE, OPTIONS).chance).toBe(0);
  expect(result.critical.get('app')).toBe(1);
  expect(result.critical.get('net')).toBe(0);
});
test('a duration measured once spreads by the logarithm, as said', () => {
  const { p50Ms, p90Ms } = simulateRto([member('a', [10])], 10 * MINUTE, OPTIONS);
  expect(Math.abs(p50Ms / (10 * MINUTE) - 1)).toBeLessThan(0.03);
  // 1.2816 is the normal quantile of 0.9.
  expect(Math.abs(Math.log(p90Ms / p50Ms) / (1.2816 * SPREAD) - 1)).toBeLessThan(0.08);
});
test('with few slots members wait for each other', () => {
  const members = ['a', 'b', 'c', 'd'].map((id) => member(id, often(10)));
  const mean = (slots: number) => simulateRto(members, 0, { ...OPTIONS, slots }).meanMs / MINUTE;
  expect(Math.abs(mean(1) - 40)).toBeLessThan(0.5);
  expect(Math.abs(mean(2) - 20)).toBeLessThan(0.5);
  expect(Math.abs(mean(9) - 10)).toBeLessThan(0.5);
});
test('the same seed gives the same answer, another one hardly differs', () => {
  const members = [member('a', [8, 9, 14]), member('b', [3, 4], 'a')];
  const first = simulateRto(members, 15 * MINUTE, OPTIONS);
  expect(simulateRto(members, 15 * MINUTE, OPTIONS)).toEqual(first);
  const other = simulateRto(members, 15 * MINUTE, { ...OPTIONS, seed: 1 });
  expect(Math.abs(other.chance - first.chance)).toBeLessThan(4 * Math.sqrt(0.25 / OPTIONS.runs) * Math.SQRT2);
});
test('members without an order are named; no members take no time', () => {
  expect(() => simulateRto([member('a', [1], 'b'), member('b', [1], 'a')], 1, OPTIONS)).toThrow(NoOrder);
  expect(simulateRto([], 1, OPTIONS)).toMatchObject({ p95Ms: 0, chance: 1 });
});
