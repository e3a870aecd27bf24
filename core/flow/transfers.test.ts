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
