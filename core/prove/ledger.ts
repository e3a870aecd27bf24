/**
 * The ledger: an append-only Merkle tree of proofs (RFC 6962 2.1 and RFC 9162, from memory). Leaf: SHA-256 of 00 and the
 * data; node: SHA-256 of 01 and both halves; a tree of n leaves is split at the largest power of two below n.
 *
 * Invariant (ledger.test.ts): a proof verifies against a root just when leaf, index, size and root are the tree's own.
 */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, hexToBytes } from '@noble/hashes/utils.js';

export type Hash = Uint8Array;
export type HashOf = (data: Uint8Array) => Hash;

const NODE = 1;

/** SHA-256, pure. Where much is hashed another one, of the platform, may be handed in. */
const SHA256: HashOf = (data) => sha256(data);

/** Hash of a leaf's data: a zero octet stands before it. */
export function leafHash(data: Uint8Array, hash: HashOf = SHA256): Hash {
  const octets = new Uint8Array(1 + data.length);
  octets.set(data, 1);
  return hash(octets);
}

function nodeHash(left: Hash, right: Hash, hash: HashOf): Hash {
  const octets = new Uint8Array(1 + left.length + right.length);
  octets[0] = NODE;
  octets.set(left, 1);
  octets.set(right, 1 + left.length);
  return hash(octets);
}

/** Root of the first leaves of a growing tree: kept as the hashes of its full subtrees, so adding is O(log n). */
export class LedgerRoot {
  private readonly peaks: Array<{ readonly size: number; readonly hash: Hash }> = [];
  private count = 0;

  constructor(private readonly hash: HashOf = SHA256) {}

  get size(): number {
    return this.count;
  }

  /** Adds the hash of one leaf. */
  add(leaf: Hash): void {
    let top = { size: 1, hash: leaf };
    while (this.peaks.at(-1)?.size === top.size) {
      const left = this.peaks.pop() as { size: number; hash: Hash };
      top = { size: left.size * 2, hash: nodeHash(left.hash, top.hash, this.hash) };
    }
    this.peaks.push(top);
    this.count++;
  }

  root(): Hash {
    if (!this.peaks.length) return this.hash(new Uint8Array());
    return this.peaks.map((peak) => peak.hash).reduceRight((right, left) => nodeHash(left, right, this.hash));
  }
}

/** Root of a tree over leaf hashes. O(n). */
export function rootOf(leaves: readonly Hash[], hash: HashOf = SHA256): Hash {
  const ledger = new LedgerRoot(hash);
  for (const leaf of leaves) ledger.add(leaf);
  return ledger.root();
}

/** Largest power of two below n, n > 1. */
const split = (n: number): number => 2 ** (31 - Math.clz32(n - 1));

/** Path from leaf `index` to the root of the first `size` leaves, lowest first. O(size). */
export function inclusionProof(leaves: readonly Hash[], index: number, size = leaves.length): Hash[] {
  if (index < 0 || index >= size || size > leaves.length) throw new RangeError(`Leaf ${index} is not among ${size}.`);
  return pathTo(leaves, 0, size, index);
}

function pathTo(leaves: readonly Hash[], from: number, to: number, index: number): Hash[] {
  if (to - from === 1) return [];
  const middle = from + split(to - from);
  return index < middle
    ? [...pathTo(leaves, from, middle, index), rootOf(leaves.slice(middle, to))]
    : [...pathTo(leaves, middle, to, index), rootOf(leaves.slice(from, middle))];
}

/** Proof that the tree of the first `first` leaves is the beginning of that of `second`. O(second). */
export function consistencyProof(leaves: readonly Hash[], first: number, second = leaves.length): Hash[] {
  if (first < 1 || first > second || second > leaves.length)
    throw new RangeError(`No tree of ${first} within one of ${second}.`);
  return subProof(leaves, 0, second, first, true);
}

function subProof(leaves: readonly Hash[], from: number, to: number, first: number, whole: boolean): Hash[] {
  if (first === to - from) return whole ? [] : [rootOf(leaves.slice(from, to))];
  const k = split(to - from);
  return first <= k
    ? [...subProof(leaves, from, from + k, first, whole), rootOf(leaves.slice(from + k, to))]
    : [...subProof(leaves, from + k, to, first - k, false), rootOf(leaves.slice(from, from + k))];
}

/** True if a leaf hash is at `index` in the tree of `size` leaves with this root (RFC 9162 2.1.3.2). O(log size). */
export function verifyInclusion(leaf: Hash, index: number, size: number, proof: readonly Hash[], root: Hash): boolean {
  if (!Number.isSafeInteger(index) || index < 0 || index >= size) return false;
  let at = index;
  let last = size - 1;
  let found = leaf;
  for (const sibling of proof) {
    if (last === 0) return false;
    if (at % 2 === 1 || at === last) {
      found = nodeHash(sibling, found, SHA256);
      while (at % 2 === 0 && at !== 0) {
        at = Math.floor(at / 2);
        last = Math.floor(last / 2);
      }
    } else found = nodeHash(found, sibling, SHA256);
    at = Math.floor(at / 2);
    last = Math.floor(last / 2);
  }
  return last === 0 && same(found, root);
}

/** True if the tree of `second` leaves begins with that of `first` (RFC 9162 2.1.4.2). O(log second). */
export function verifyConsistency(
  first: number,
  second: number,
  firstRoot: Hash,
  secondRoot: Hash,
  proof: readonly Hash[],
): boolean {
  if (first < 1 || first > second) return false;
  if (first === second) return proof.length === 0 && same(firstRoot, secondRoot);
  if (!proof.length) return false;
  const path = isPowerOfTwo(first) ? [firstRoot, ...proof] : [...proof];
  let at = first - 1;
  let last = second - 1;
  while (at % 2 === 1) {
    at = Math.floor(at / 2);
    last = Math.floor(last / 2);
  }
  let one = path[0] as Hash;
  let two = one;
  for (const sibling of path.slice(1)) {
    if (last === 0) return false;
    if (at % 2 === 1 || at === last) {
      one = nodeHash(sibling, one, SHA256);
      two = nodeHash(sibling, two, SHA256);
      while (at % 2 === 0 && at !== 0) {
        at = Math.floor(at / 2);
        last = Math.floor(last / 2);
      }
    } else two = nodeHash(two, sibling, SHA256);
    at = Math.floor(at / 2);
    last = Math.floor(last / 2);
  }
  return last === 0 && same(one, firstRoot) && same(two, secondRoot);
}

const isPowerOfTwo = (n: number): boolean => 2 ** Math.round(Math.log2(n)) === n;
const same = (a: Hash, b: Hash): boolean => a.length === b.length && a.every((byte, i) => byte === b[i]);

export const toHex = bytesToHex;
export const fromHex = hexToBytes;
