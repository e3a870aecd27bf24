import fc from 'fast-check';
import {
  consistencyProof,
  fromHex,
  inclusionProof,
  leafHash,
  LedgerRoot,
  rootOf,
  toHex,
  verifyConsistency,
  verifyInclusion,
} from '@/core/prove/ledger';

// The eight leaves, roots and proofs of the reference file merkle_verifier_test.go (certificate-transparency, RFC 6962).
const LEAVES = ['', '00', '10', '2021', '3031', '40414243', '5051525354555657', '606162636465666768696a6b6c6d6e6f'].map(
  (hex) => leafHash(fromHex(hex)),
);
const hexes = (hashes: readonly Uint8Array[]) => hashes.map(toHex).join(' ');

test.each([
  [0, 'e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855'],
  [1, '6e340b9cffb37a989ca544e6bb780a2c78901d3fb33738768511a30617afa01d'],
  [2, 'fac54203e7cc696cf0dfcb42c92a1d9dbaf70ad9e621f4bd8d98662f00e3c125'],
  [3, 'aeb6bcfe274b70a14fb067a5e5578264db0fa9b51af5e0ba159158f329e06e77'],
  [4, 'd37ee418976dd95753c1c73862b9398fa2a2cf9b4ff0fdfe8b30cd95209614b7'],
  [5, '4e3bbb1f7b478dcfe71fb631631519a3bca12c9aefca1612bfce4c13a86264d4'],
  [6, '76e67dadbcdf1e10e1b74ddc608abd2f98dfb16fbce75277b5232a127f2087ef'],
  [7, 'ddb89be403809e325750d3d263cd78929c2942b7942a34b77e122c9594a74c8c'],
  [8, '5dc9da79a70659a9ad559cb701ded9a2ab9d823aad2f4960cfe370eff4604328'],
])('14-M%d: root of the first leaves', (size, root) => {
  expect(toHex(rootOf(LEAVES.slice(0, size)))).toBe(root);
  const growing = new LedgerRoot();
  LEAVES.slice(0, size).forEach((leaf) => growing.add(leaf));
  expect([growing.size, toHex(growing.root())]).toEqual([size, root]);
});

test.each([
  [
    '14-I1',
    0,
    8,
    '96a296d224f285c67bee93c30f8a309157f0daa35dc5b87e410b78630a09cfc7 5f083f0a1a33ca076a95279832580db3e0ef4584bdff1f54c8a360f50de3031e 6b47aaf29ee3c2af9af889bc1fb9254dabd31177f16232dd6aab035ca39bf6e4',
  ],
  [
    '14-I2',
    5,
    8,
    'bc1a0643b12e4d2d7c77918f44e0f4f79a838b6cf9ec5b5c283e1f4d88599e6b ca854ea128ed050b41b35ffc1b87b8eb2bde461e9e3b5596ece6b9d5975a0ae0 d37ee418976dd95753c1c73862b9398fa2a2cf9b4ff0fdfe8b30cd95209614b7',
  ],
  ['14-I3', 2, 3, 'fac54203e7cc696cf0dfcb42c92a1d9dbaf70ad9e621f4bd8d98662f00e3c125'],
  [
    '14-I4',
    1,
    5,
    '6e340b9cffb37a989ca544e6bb780a2c78901d3fb33738768511a30617afa01d 5f083f0a1a33ca076a95279832580db3e0ef4584bdff1f54c8a360f50de3031e bc1a0643b12e4d2d7c77918f44e0f4f79a838b6cf9ec5b5c283e1f4d88599e6b',
  ],
])('%s: inclusion of leaf %d in a tree of %d', (_id, index, size, expected) => {
  const proof = inclusionProof(LEAVES, index, size);
  expect(hexes(proof)).toBe(expected);
  expect(verifyInclusion(LEAVES[index] as Uint8Array, index, size, proof, rootOf(LEAVES.slice(0, size)))).toBe(true);
});

test.each([
  [
    '14-C1',
    1,
    8,
    '96a296d224f285c67bee93c30f8a309157f0daa35dc5b87e410b78630a09cfc7 5f083f0a1a33ca076a95279832580db3e0ef4584bdff1f54c8a360f50de3031e 6b47aaf29ee3c2af9af889bc1fb9254dabd31177f16232dd6aab035ca39bf6e4',
  ],
  [
    '14-C2',
    6,
    8,
    '0ebc5d3437fbe2db158b9f126a1d118e308181031d0a949f8dededebc558ef6a ca854ea128ed050b41b35ffc1b87b8eb2bde461e9e3b5596ece6b9d5975a0ae0 d37ee418976dd95753c1c73862b9398fa2a2cf9b4ff0fdfe8b30cd95209614b7',
  ],
  [
    '14-C3',
    2,
    5,
    '5f083f0a1a33ca076a95279832580db3e0ef4584bdff1f54c8a360f50de3031e bc1a0643b12e4d2d7c77918f44e0f4f79a838b6cf9ec5b5c283e1f4d88599e6b',
  ],
  ['14-C4', 8, 8, ''],
])('%s: consistency of %d with %d', (_id, first, second, expected) => {
  const proof = consistencyProof(LEAVES, first, second);
  expect(hexes(proof)).toBe(expected);
  const roots = [rootOf(LEAVES.slice(0, first)), rootOf(LEAVES.slice(0, second))] as const;
  expect(verifyConsistency(first, second, ...roots, proof)).toBe(true);
});

test('14-C9: a wrong first root is rejected', () => {
  const proof = consistencyProof(LEAVES, 6, 8);
  expect(verifyConsistency(6, 8, rootOf(LEAVES.slice(0, 5)), rootOf(LEAVES), proof)).toBe(false);
});

test('law: what is true verifies, and nothing else does', () => {
  const tree = fc
    .integer({ min: 1, max: 40 })
    .chain((size) => fc.tuple(fc.constant(size), fc.nat(size - 1), fc.nat(size - 1)));
  fc.assert(
    fc.property(tree, ([size, index, other]) => {
      const leaves = Array.from({ length: size }, (_, i) => leafHash(Uint8Array.of(i)));
      const root = rootOf(leaves);
      const proof = inclusionProof(leaves, index);
      const leaf = leaves[index] as Uint8Array;
      expect(verifyInclusion(leaf, index, size, proof, root)).toBe(true);
      expect(verifyInclusion(leaves[other] as Uint8Array, index, size, proof, root)).toBe(other === index);
      expect(verifyInclusion(leaf, other, size, proof, root)).toBe(other === index);
      expect(verifyInclusion(leaf, index, size, [...proof, root], root)).toBe(false);
      if (proof.length) expect(verifyInclusion(leaf, index, size, proof.slice(1), root)).toBe(false);
      const first = index + 1;
      const consistency = consistencyProof(leaves, first);
      const firstRoot = rootOf(leaves.slice(0, first));
      expect(verifyConsistency(first, size, firstRoot, root, consistency)).toBe(true);
      expect(verifyConsistency(first, size, leaf, root, consistency)).toBe(first === 1);
      if (first < size) expect(verifyConsistency(first, size, firstRoot, firstRoot, consistency)).toBe(false);
    }),
    { numRuns: 200 },
  );
});

test('what is not in the tree has no proof', () => {
  expect(() => inclusionProof(LEAVES, 8)).toThrow(RangeError);
  expect(() => consistencyProof(LEAVES, 9)).toThrow(RangeError);
  expect(verifyInclusion(LEAVES[0] as Uint8Array, 9, 8, [], rootOf(LEAVES))).toBe(false);
  expect(verifyConsistency(0, 8, rootOf([]), rootOf(LEAVES), [])).toBe(false);
  expect(verifyConsistency(3, 8, rootOf(LEAVES.slice(0, 3)), rootOf(LEAVES), [])).toBe(false);
});
