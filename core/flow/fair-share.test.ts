import fc from 'fast-check';
import solver from 'javascript-lp-solver';
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

/** Max-min fairness by linear programmes (Bertsekas & Gallager 6.5): raise the least share, fix what cannot rise, again. */
function byProgrammes(list: readonly Flow[], capacity: ReadonlyMap<string, number>): number[] {
  const fixed = new Map<number, number>();
  const solve = (share: number, raise: number | null): number => {
    const constraints: Record<string, { min?: number; max?: number }> = {};
    const variables: Record<string, Record<string, number>> = { t: { goal: raise === null ? 1 : 0 } };
    for (const [name, max] of capacity) constraints[name] = { max };
    list.forEach(({ over, demand = Infinity, weight = 1 }, i) => {
      const own: Record<string, number> = { goal: raise === i ? 1 : 0, [`least${i}`]: 1, [`most${i}`]: 1 };
      for (const name of over) own[name] = 1;
      variables[`x${i}`] = own;
      const known = fixed.get(i);
      if (demand < Infinity || known !== undefined) constraints[`most${i}`] = { max: known ?? demand };
      if (known !== undefined) constraints[`least${i}`] = { min: known * (1 - 1e-7) };
      else if (raise === null) {
        constraints[`least${i}`] = { min: 0 };
        (variables['t'] as Record<string, number>)[`least${i}`] = -weight;
      } else constraints[`least${i}`] = { min: share * weight };
    });
    const { feasible, result } = solver.Solve({ optimize: 'goal', opType: 'max', constraints, variables }) as {
      feasible: boolean;
      result: number;
    };
    if (!feasible) throw new Error('The programme has no solution.');
    return result;
  };
  while (fixed.size < list.length) {
    const open = list.map((_, i) => i).filter((i) => !fixed.has(i));
    const share = solve(0, null) * (1 - 1e-7);
    const before = fixed.size;
    for (const i of open) {
      const most = solve(share, i);
      if (most <= share * (list[i]?.weight ?? 1) * (1 + 1e-6)) fixed.set(i, most);
    }
    if (fixed.size === before) throw new Error('No flow stopped.');
  }
  return list.map((_, i) => fixed.get(i) as number);
}

test('5-M9: 60 random networks of 2-5 links and 2-7 flows with caps and weights agree with linear programmes', () => {
  const network = fc.integer({ min: 2, max: 5 }).chain((links) => {
    const names = ['a', 'b', 'c', 'd', 'e'].slice(0, links);
    return fc.record({
      caps: fc.array(fc.integer({ min: 5, max: 50 }), { minLength: links, maxLength: links }),
      list: fc.array(
        fc.record({
          over: fc.uniqueArray(fc.constantFrom(...names), { minLength: 1 }),
          demand: fc.integer({ min: 1, max: 40 }),
          weight: fc.integer({ min: 1, max: 5 }),
        }),
        { minLength: 2, maxLength: 7 },
      ),
      names: fc.constant(names),
    });
  });
  fc.assert(
    fc.property(network, ({ caps, list, names }) => {
      const capacity = new Map(names.map((name, i) => [name, caps[i] as number]));
      const expected = byProgrammes(list, capacity);
      fairShares(list, capacity).forEach((rate, i) =>
        expect(Math.abs(rate - (expected[i] as number))).toBeLessThan(1e-5 * 50),
      );
    }),
    { numRuns: 60, seed: 5 },
  );
});
