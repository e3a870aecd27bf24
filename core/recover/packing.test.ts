import fc from 'fast-check';
import { firstFit, firstFitDecreasing, firstFitWorst, martelloTothBound, volumeBound } from '@/core/recover/packing';
import { place, type Guest, type Host, type PlacementRule } from '@/core/recover/placement';

const many = (count: number, size: number) => Array<number>(count).fill(size);

// Johnson 1973 family and Dosa 2007 (from memory); optimum by an integer programme.
test('11-A1, A2: first fit decreasing needs 11 where 9 suffice, its worst', () => {
  const items = [...many(6, 510), ...many(6, 270), ...many(6, 260), ...many(12, 230)];
  expect([firstFitDecreasing(items, 1000).length, volumeBound(items, 1000), firstFitWorst(9)]).toEqual([11, 9, 11]);
});
test('11-A3: floor(11/9 OPT + 6/9)', () => {
  expect([1, 2, 3, 4, 5, 6, 9, 12].map(firstFitWorst)).toEqual([1, 3, 4, 5, 6, 8, 11, 15]);
});
// Martello & Toth 1990 ch. 8 (instance as remembered), then invented ones.
test.each([
  ['11-B1', [70, 60, 50, 33, 33, 33, 11, 7, 3], 3, 4, 4],
  ['11-B2', many(6, 60), 4, 6, 6],
  ['11-B4', [60, 60, 45, 45, 45, 40, 40, 35, 30], 4, 4, 5],
])('%s: bounds and first fit decreasing', (_id, items, l1, l2, ffd) => {
  expect([volumeBound(items, 100), martelloTothBound(items, 100), firstFitDecreasing(items, 100).length]).toEqual([
    l1,
    l2,
    ffd,
  ]);
});
test('11-B5: memory of machines on hosts of 256 GiB (invented)', () => {
  const items = [128, 96, 96, ...many(3, 64), 48, 48, ...many(4, 32), 16, 16];
  expect(volumeBound(items, 256)).toBe(3);
  expect(firstFitDecreasing(items, 256)).toEqual([
    [128, 96, 32],
    [96, 64, 64, 32],
    [64, 48, 48, 32, 32, 16, 16],
  ]);
});
test('11-C1: the order matters to first fit (invented)', () => {
  const items = [4, 4, 4, 6, 6, 6];
  expect([firstFit(items, 10).length, firstFitDecreasing(items, 10).length]).toEqual([4, 3]);
  expect(() => firstFit([11], 10)).toThrow(RangeError);
});
test('11-D1: three bins where two suffice (invented; optimum by an integer programme)', () => {
  expect(firstFitDecreasing([5, 4, 3, 2, 2, 2, 2], 10)).toEqual([[5, 4], [3, 2, 2, 2], [2]]);
});

const host = (id: string, cores: number, memoryBytes: number): Host => ({ id, cores, memoryBytes });
const guest = (id: string, cores: number, memoryBytes: number): Guest => ({ id, cores, memoryBytes });
const why = (guests: Guest[], hosts: Host[], rules: PlacementRule[]) =>
  Object.fromEntries(place(guests, hosts, rules).notPlaced.map((n) => [n.guest, n.reason]));

test('machines kept together land together, those kept apart do not, and who cannot be placed says why', () => {
  const hosts = [host('h1', 16, 64), host('h2', 16, 64)];
  const guests = [guest('db1', 8, 32), guest('db2', 8, 32), guest('app', 4, 16), guest('web', 4, 8)];
  const rules: PlacementRule[] = [
    { kind: 'apart', guests: ['db1', 'db2'] },
    { kind: 'together', guests: ['app', 'web'] },
  ];
  const { hostOf, notPlaced } = place(guests, hosts, rules);
  expect(notPlaced).toEqual([]);
  expect(hostOf.get('db1')).not.toBe(hostOf.get('db2'));
  expect(hostOf.get('app')).toBe(hostOf.get('web'));
});
test.each<[string, Guest[], Host[], PlacementRule[], Record<string, string>]>([
  ['too large for any host', [guest('a', 32, 1)], [host('h', 16, 64)], [], { a: 'too-large' }],
  ['no room left', [guest('a', 10, 1), guest('b', 9, 1)], [host('h', 16, 64)], [], { b: 'no-room' }],
  ['memory counts as well', [guest('a', 1, 60), guest('b', 1, 10)], [host('h', 16, 64)], [], { b: 'no-room' }],
  [
    'kept apart',
    [guest('a', 2, 1), guest('b', 1, 1)],
    [host('h', 16, 64)],
    [{ kind: 'apart', guests: ['a', 'b'] }],
    { b: 'kept-apart' },
  ],
  [
    'rules against each other',
    [guest('a', 2, 1), guest('b', 1, 1)],
    [host('h', 16, 64)],
    [
      { kind: 'apart', guests: ['a', 'b'] },
      { kind: 'together', guests: ['a', 'b'] },
    ],
    { a: 'rules-conflict', b: 'rules-conflict' },
  ],
])('%s', (_name, guests, hosts, rules, expected) => expect(why(guests, hosts, rules)).toEqual(expected));

test('law: no host is over its cores or memory, rules hold, and every guest is placed or explained', () => {
  const size = fc.integer({ min: 1, max: 12 });
  fc.assert(
    fc.property(
      fc.array(fc.tuple(size, size), { minLength: 1, maxLength: 25 }),
      fc.array(fc.tuple(fc.integer({ min: 4, max: 20 }), fc.integer({ min: 4, max: 20 })), {
        minLength: 1,
        maxLength: 6,
      }),
      fc.array(
        fc.record({
          kind: fc.constantFrom('apart' as const, 'together' as const),
          pick: fc.array(fc.nat(24), { minLength: 2, maxLength: 4 }),
        }),
        { maxLength: 4 },
      ),
      (sizes, rooms, picks) => {
        const guests = sizes.map(([c, m], i) => guest(`g${i}`, c, m));
        const hosts = rooms.map(([c, m], i) => host(`h${i}`, c, m));
        const rules = picks.map(({ kind, pick }) => ({
          kind,
          guests: [...new Set(pick.map((i) => `g${i % guests.length}`))],
        }));
        const { hostOf, notPlaced } = place(guests, hosts, rules);
        expect(hostOf.size + notPlaced.length).toBe(guests.length);
        for (const h of hosts) {
          const mine = guests.filter((g) => hostOf.get(g.id) === h.id);
          expect(mine.reduce((s, g) => s + g.cores, 0)).toBeLessThanOrEqual(h.cores);
          expect(mine.reduce((s, g) => s + g.memoryBytes, 0)).toBeLessThanOrEqual(h.memoryBytes);
        }
        for (const rule of rules) {
          const placed = rule.guests.map((id) => hostOf.get(id)).filter((id) => id !== undefined);
          if (rule.kind === 'apart') expect(new Set(placed).size).toBe(placed.length);
          else expect(new Set(placed).size).toBeLessThanOrEqual(1);
        }
      },
    ),
  );
});
