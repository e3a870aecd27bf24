import { oneByOne, sharedLine } from '@/core/flow/queueing';
import { TransferSimulation } from '@/core/flow/transfers';

// Kleinrock, Queueing Systems II ch. 4 (from memory).
test.each([
  [0.3, 1.428571, 0.428571],
  [0.5, 2, 1],
  [0.7, 3.333333, 2.333333],
  [0.8, 5, 4],
  [0.9, 10, 9],
])('6-Q: a shared line at load %d', (load, time, present) => {
  expect(sharedLine(load, 1).time).toBeCloseTo(time, 6);
  expect(sharedLine(load, 1).present).toBeCloseTo(present, 6);
});
test('6-Q3: 12 GB jobs on 125 MB/s, 22.5 an hour (invented)', () => {
  const line = sharedLine(22.5 / 3600, 12e9 / 125e6);
  expect([line.load, line.time, line.present].map((v) => Math.round(v * 1e9) / 1e9)).toEqual([0.6, 240, 1.5]);
});
// Pollaczek-Khinchine (Kleinrock I, from memory).
test.each([
  [0.8, 1, 5],
  [0.8, 0, 3],
  [0.8, 4, 11],
  [0.5, 0, 1.5],
])('6-PK: one by one at load %d, cv^2 %d takes %d', (load, cv2, time) => {
  expect(oneByOne(load, 1, cv2).time).toBeCloseTo(time, 12);
});
test('from a load of 1 on nothing has a mean', () => expect(sharedLine(1, 1).time).toBe(Infinity));

/** Mean time and Little's ratio of a simulated shared line: Poisson arrivals from a seed, warm-up left out. */
function simulate(load: number, sizeOf: (u: number) => number, jobs: number): { mean: number; little: number } {
  let state = 20_260_312;
  const random = () => ((state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) + 0.5) / 2 ** 32;
  const UNIT = 10_000;
  const sim = new TransferSimulation(0, new Map([['line', 8000]]));
  const begun = new Map<string, number>();
  const warm = jobs / 10;
  let sum = 0;
  let done = 0;
  let present = 0;
  let since = 0;
  let clock = 0;
  let began = 0;
  const settle = (toMs: number): void => {
    for (const { key, atMs } of sim.advance(Math.round(toMs))) {
      present += begun.size * (atMs - since);
      since = atMs;
      if (Number(key) >= warm) {
        if (!done) [began, present] = [atMs, 0];
        sum += atMs - (begun.get(key) as number);
        done++;
      }
      begun.delete(key);
    }
    present += begun.size * (Math.round(toMs) - since);
    since = Math.round(toMs);
  };
  for (let i = 0; i < jobs; i++) {
    clock += (-Math.log(random()) / load) * UNIT;
    settle(clock);
    begun.set(String(i), Math.round(clock));
    sim.start(String(i), ['line'], Math.max(1, Math.round(sizeOf(random()) * UNIT)));
  }
  const mean = sum / done / UNIT;
  return { mean, little: present / (since - began) / ((done / (since - began)) * (sum / done)) };
}

// 6-P and 6-LITTLE (by definition; Little 1961 from memory). Fixed seed; the bounds are four standard deviations of a
// run, scaled from those measured for 200,000 completions to the 30,000 here.
test.each<[string, (u: number) => number, number, number]>([
  ['exponential', (u) => -Math.log(u), 0.5, 0.08],
  ['equal', () => 1, 0.5, 0.04],
  ['uniform', (u) => 2 * u, 0.7, 0.12],
])('6-P: sizes %s: the simulated mean is 1 / (1 - load), whatever the sizes', (_name, sizeOf, load, within) => {
  const { mean, little } = simulate(load, sizeOf, 30_000);
  expect(Math.abs(mean * (1 - load) - 1)).toBeLessThan(within);
  expect(Math.abs(little - 1)).toBeLessThan(0.02);
});
