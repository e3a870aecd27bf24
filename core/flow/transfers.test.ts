import { TransferSimulation } from '@/core/flow/transfers';

const MB = 1_000_000;

test('two transfers share a link, and the one left speeds up (by hand)', () => {
  // 8 Mbit/s. a: 1 MB, b: 3 MB. Together 4 Mbit/s each: a done at 2 s; b has 2 MB left at 8 Mbit/s: 2 s more.
  const sim = new TransferSimulation(0, new Map([['link', 8e6]]));
  sim.start('a', ['link'], MB);
  sim.start('b', ['link'], 3 * MB);
  expect(sim.nextCompletionMs()).toBe(2000);
  expect(sim.advance(10_000)).toEqual([
    { key: 'a', atMs: 2000 },
    { key: 'b', atMs: 4000 },
  ]);
  expect(sim.atMs).toBe(10_000);
});

test('a cut link stops a transfer and healing goes on where it stood', () => {
  const sim = new TransferSimulation(0, new Map([['link', 8e6]]));
  sim.start('a', ['link'], 2 * MB);
  expect(sim.advance(1000)).toEqual([]);
  sim.setCapacity('link', 0);
  expect(sim.nextCompletionMs()).toBeNull();
  expect(sim.advance(60_000)).toEqual([]);
  expect(sim.get('a')?.sentBytes).toBeCloseTo(MB);
  sim.setCapacity('link', 8e6);
  expect(sim.advance(120_000)).toEqual([{ key: 'a', atMs: 61_000 }]);
});

test('starting a key twice has one effect; an empty transfer completes at once; stop forgets', () => {
  const sim = new TransferSimulation(5, new Map([['link', 8e6]]));
  sim.start('a', ['link'], MB);
  sim.start('a', ['link'], 9 * MB);
  sim.start('empty', ['link'], 0);
  sim.start('b', ['link'], MB);
  sim.stop('b');
  expect(sim.list().map((t) => t.key)).toEqual(['a', 'empty']);
  expect(sim.advance(5)).toEqual([{ key: 'empty', atMs: 5 }]);
  expect(sim.advance(1005)).toEqual([{ key: 'a', atMs: 1005 }]);
});

test('a transfer over nothing shared completes at once, even with no time to pass', () => {
  const sim = new TransferSimulation(5, new Map());
  sim.start('a', [], 0);
  sim.start('b', [], MB);
  expect(sim.advance(5)).toEqual([
    { key: 'a', atMs: 5 },
    { key: 'b', atMs: 5 },
  ]);
});

/** Finish times in units of the check: one unit of size over a link of 1 takes one unit of time. */
function finishTimes(
  capacity: Readonly<Record<string, number>>,
  jobs: ReadonlyArray<{ size: number; at?: number; over?: string; weight?: number; cap?: number }>,
): number[] {
  const UNIT = 1_000_000;
  const sim = new TransferSimulation(0, new Map(Object.entries(capacity).map(([name, rate]) => [name, rate * 8000])));
  const finish = new Map<string, number>();
  const waiting = jobs.map((job, i) => ({ ...job, i })).sort((a, b) => (a.at ?? 0) - (b.at ?? 0));
  for (const { size, at = 0, over = 'A', weight = 1, cap = Infinity, i } of waiting) {
    for (const done of sim.advance(at * UNIT)) finish.set(done.key, done.atMs);
    sim.start(String(i), over.split('+'), size * UNIT, { weight, demand: cap * 8000 });
  }
  for (const done of sim.advance(1000 * UNIT)) finish.set(done.key, done.atMs);
  return jobs.map((_, i) => (finish.get(String(i)) as number) / UNIT);
}

// Processor sharing by definition; exact fractions by two scripts.
test.each<[string, Record<string, number>, Parameters<typeof finishTimes>[1], number[]]>([
  ['6-D1', { A: 1 }, [{ size: 1 }, { size: 2 }, { size: 3 }], [3, 5, 6]],
  ['6-D2', { A: 1 }, [{ size: 10 }, { size: 20 }, { size: 30 }, { size: 40 }], [40, 70, 90, 100]],
  ['6-D3', { A: 1 }, [{ size: 5 }, { size: 5 }], [10, 10]],
  ['6-D4', { A: 1 }, [{ size: 4 }, { size: 1, at: 2 }], [5, 4]],
  ['6-D5', { A: 2 }, [{ size: 6 }, { size: 2, at: 1 }, { size: 4, at: 2 }], [11 / 2, 7 / 2, 6]],
  ['6-D6', { A: 1, B: 2 }, [{ size: 3 }, { size: 2, over: 'A+B' }, { size: 4, over: 'B' }], [5, 4, 8 / 3]],
  ['6-D7', { A: 1, B: 1 }, [{ size: 3 }, { size: 2, over: 'A+B' }, { size: 1, over: 'B' }], [5, 4, 2]],
  [
    '6-D8',
    { A: 10, B: 4, C: 7 },
    [{ size: 12, over: 'A+B+C' }, { size: 32 }, { size: 6, over: 'B' }, { size: 40, over: 'C' }],
    [33 / 7, 55 / 13, 3, 52 / 7],
  ],
  ['6-D9', { A: 1 }, [{ size: 2, weight: 2 }, { size: 2 }], [3, 4]],
  ['6-D10', { A: 10 }, [{ size: 30, cap: 2 }, { size: 40 }, { size: 10 }], [15, 25 / 4, 5 / 2]],
])('%s: finish times under processor sharing', (_id, capacity, jobs, expected) => {
  finishTimes(capacity, jobs).forEach((at, i) => expect(Math.abs(at - (expected[i] as number))).toBeLessThan(1e-5));
});
