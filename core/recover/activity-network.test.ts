import { timeNetwork, type Activity, type Network } from '@/core/recover/activity-network';

const parse = (text: string): Activity[] =>
  text.split('; ').map((part) => {
    const [, id = '', duration, after = ''] = /^(\D+?)(\d+)(?:\((.*)\))?$/.exec(part) ?? [];
    return { id, duration: Number(duration), after: after ? after.split(',') : [] };
  });
const timed = (network: Network) => {
  if (network.kind !== 'timed') throw new Error(network.kind);
  return network;
};

// Hillier & Lieberman, "Reliable Construction" (from memory; arithmetic verified by a linear programme).
const HOUSE = parse(
  'A2; B4(A); C10(B); D6(C); E4(C); F5(E); G7(D); H9(E,G); I7(C); J8(F,I); K4(J); L5(J); M2(H); N6(K,L)',
);
const EXPECTED = `A 0 2 0 2 0 0|B 2 6 2 6 0 0|C 6 16 6 16 0 0|D 16 22 20 26 4 0|E 16 20 16 20 0 0|F 20 25 20 25 0 0|G 22 29 26 33 4 0|H 29 38 33 42 4 0|I 16 23 18 25 2 2|J 25 33 25 33 0 0|K 33 37 34 38 1 1|L 33 38 33 38 0 0|M 38 40 42 44 4 4|N 38 44 38 44 0 0`;

test('10-A1, A2: duration 44 and the fourteen rows', () => {
  const network = timed(timeNetwork(HOUSE));
  expect(network.duration).toBe(44);
  const rows = network.timings.map((t) =>
    [t.id, t.earliestStart, t.earliestFinish, t.latestStart, t.latestFinish, t.slack, t.freeSlack].join(' '),
  );
  expect(rows.join('|')).toBe(EXPECTED);
});
test('10-A3: critical path A-B-C-E-F-J-L-N', () => {
  expect(timed(timeNetwork(HOUSE)).criticalPath.join('-')).toBe('A-B-C-E-F-J-L-N');
});
test('10-C1: a failover plan takes 33 min (invented; reproduced by networkx)', () => {
  const network = timed(
    timeNetwork(
      parse(
        'declare5; fence3(declare); promoteDb10(fence); promoteApp4(fence); bootDb6(promoteDb); bootApp5(promoteApp,bootDb); net8(declare); check4(bootApp,net)',
      ),
    ),
  );
  expect(network.duration).toBe(33);
  expect(Object.fromEntries(network.timings.filter((t) => !t.critical).map((t) => [t.id, t.slack]))).toEqual({
    promoteApp: 12,
    net: 16,
  });
});
test('a cycle is named, an unknown predecessor too', () => {
  expect(timeNetwork(parse('a1(b); b1(a); c1'))).toEqual({ kind: 'cycle', ids: ['a', 'b'] });
  expect(timeNetwork(parse('a1(x)'))).toEqual({ kind: 'unknown-predecessor', id: 'a', after: 'x' });
});
