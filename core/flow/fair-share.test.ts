import fc from 'fast-check';
import { fairShares, type Flow } from '@/core/flow/fair-share';

const flows = (...over: string[]): Flow[] => over.map((names) => ({ over: names.split(' ').filter(Boolean) }));
const near = (actual: number[], expected: number[]) =>
  actual.forEach((value, i) => expect(value).toBeCloseTo(expected[i] as number, 9));

test('5-M1: five sessions (Bertsekas & Gallager 6.5.2, rates as remembered, links reconstructed)', () => {
  near(
    fairShares(
      flows('b', 'a', 'a', 'c', 'a b'),
      new Map([
        ['a', 1],
        ['b', 1],
        ['c', 1],
      ]),
    ),
    [2 / 3, 1 / 3, 1 / 3, 1, 1 / 3],
  );
});
test('5-M2: parking lot (Bertsekas & Gallager 6.5, from memory)', () => {
  near(
    fairShares(
      flows('A B C', 'A', 'B', 'C'),
      new Map([
        ['A', 1],
        ['B', 1],
        ['C', 1],
      ]),
    ),
    [0.5, 0.5, 0.5, 0.5],
  );
});
test('5-M3: the same with unequal links (invented; follows from the definition)', () => {
  near(
    fairShares(
      flows('A B C', 'A', 'B', 'C'),
      new Map([
        ['A', 10],
        ['B', 4],
        ['C', 7],
      ]),
    ),
    [2, 8, 2, 5],
  );
});
test('5-M4: two links (invented; follows from the definition)', () => {
  near(
    fairShares(
      flows('A', 'A', 'A B', 'B'),
      new Map([
        ['A', 1],
        ['B', 2],
      ]),
    ),
    [1 / 3, 1 / 3, 1 / 3, 5 / 3],
  );
});
test('5-M5: demands 2, 2.6, 4, 5 over 10 (Keshav 1997 ch. 9, from memory)', () => {
  const list = [2, 2.6, 4, 5].map((demand) => ({ over: ['x'], demand }));
  near(fairShares(list, new Map([['x', 10]])), [2, 2.6, 2.7, 2.7]);
});
test('5-M6: weighted demands over 16 (Keshav 1997 ch. 9, from memory)', () => {
  const list = (
    [
      [4, 2.5],
      [2, 4],
      [10, 0.5],
      [4, 1],
    ] as const
  ).map(([demand, weight]) => ({ over: ['x'], demand, weight }));
  near(fairShares(list, new Map([['x', 16]])), [4, 2, 6, 4]);
});
const UPLINKS = new Map([
  ['U1', 1000],
  ['U2', 400],
  ['U3', 100],
  ['WAN', 600],
]);
test('5-M7: uplinks and a shared WAN (invented)', () => {
  near(fairShares(flows('U1 WAN', 'U1 WAN', 'U2 WAN', 'U3 WAN', 'U3 WAN'), UPLINKS), [
    500 / 3,
    500 / 3,
    500 / 3,
    50,
    50,
  ]);
});
test('5-M8: the same with weights and a cap (invented)', () => {
  const list = [
    { over: ['U1', 'WAN'], weight: 1 },
    { over: ['U1', 'WAN'], weight: 3 },
    { over: ['U2', 'WAN'], demand: 60 },
    { over: ['U3', 'WAN'] },
    { over: ['U3', 'WAN'] },
  ];
  near(fairShares(list, UPLINKS), [110, 330, 60, 50, 50]);
});

test('law: nothing is over capacity, and every flow is stopped by a full resource or its own demand', () => {
  const flow = fc.record({
    over: fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd'), { minLength: 1 }),
    demand: fc.double({ min: 0.1, max: 50, noNaN: true }),
    weight: fc.double({ min: 0.1, max: 5, noNaN: true }),
  });
  fc.assert(
    fc.property(
      fc.array(flow, { minLength: 1, maxLength: 12 }),
      fc.array(fc.double({ min: 0.5, max: 40, noNaN: true }), { minLength: 4, maxLength: 4 }),
      (list, caps) => {
        const capacity = new Map(['a', 'b', 'c', 'd'].map((name, i) => [name, caps[i] as number]));
        const rates = fairShares(list, capacity);
        const load = (name: (typeof list)[number]['over'][number]) =>
          list.reduce((sum, f, i) => sum + (f.over.includes(name) ? (rates[i] as number) : 0), 0);
        for (const [name, cap] of capacity) expect(load(name as 'a')).toBeLessThanOrEqual(cap * (1 + 1e-9));
        list.forEach((f, i) => {
          const stopped = (rates[i] as number) >= f.demand * (1 - 1e-9);
          expect(stopped || f.over.some((name) => load(name) >= (capacity.get(name) as number) * (1 - 1e-9))).toBe(
            true,
          );
        });
      },
    ),
  );
});

test('a flow over a dead link gets nothing, one without limits everything', () => {
  expect(fairShares(flows('x', ''), new Map([['x', 0]]))).toEqual([0, Infinity]);
});
