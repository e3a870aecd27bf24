/**
 * Sealed proof records: canonical JSON (RFC 8785, from memory), its leaf in the ledger, and an Ed25519 signature
 * (RFC 8032, from memory) over the root. Everything needed to verify one offline stands in the sealed record itself,
 * but the public key, which must come by another way.
 */
import { ed25519 } from '@noble/curves/ed25519.js';
import canonicalize from 'canonicalize';
import { fromHex, leafHash, toHex, verifyInclusion, type Hash } from '@/core/prove/ledger';

export class NotCanonical extends Error {
  readonly code = 'not-canonical';
  override readonly name = 'NotCanonical';
}

/** The one text of a JSON value; throws NotCanonical for what JSON cannot say (NaN, Infinity, undefined). */
export function canonicalJson(value: unknown): string {
  try {
    const text = canonicalize(value);
    if (text === undefined) throw new NotCanonical('The value is no JSON.');
    return text;
  } catch (error) {
    throw error instanceof NotCanonical
      ? error
      : new NotCanonical(`The record has no canonical JSON: ${(error as Error).message}`);
  }
}

const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text);

/** Leaf of a record in the ledger. */
export const recordLeaf = (record: unknown): Hash => leafHash(bytesOf(canonicalJson(record)));

/** What is signed: the size and root of the ledger at that time. */
export interface SignedRoot {
  readonly size: number;
  readonly root: string;
  readonly atMs: number;
  readonly signature: string;
}

export interface SealedRecord {
  readonly record: unknown;
  readonly index: number;
  /** Hashes from the leaf to the root, hex, lowest first. */
  readonly path: readonly string[];
  readonly head: SignedRoot;
}

export const publicKeyOf = (secret: Uint8Array): string => toHex(ed25519.getPublicKey(secret));
export const sign = (message: Uint8Array, secret: Uint8Array): string => toHex(ed25519.sign(message, secret));

export function signRoot(size: number, root: Hash, atMs: number, secret: Uint8Array): SignedRoot {
  const head = { size, root: toHex(root), atMs };
  return { ...head, signature: sign(bytesOf(canonicalJson(head)), secret) };
}

export type Verdict =
  | { readonly ok: true }
  | { readonly ok: false; readonly wrong: 'signature' | 'inclusion' | 'form'; readonly why: string };

/** Verifies a sealed record with nothing but the public key (hex). O(path). */
export function verifySealed(sealed: SealedRecord, publicKey: string): Verdict {
  try {
    const { signature, ...head } = sealed.head;
    if (!ed25519.verify(fromHex(signature), bytesOf(canonicalJson(head)), fromHex(publicKey)))
      return { ok: false, wrong: 'signature', why: 'The root was not signed by this key.' };
    const path = sealed.path.map(fromHex);
    return verifyInclusion(recordLeaf(sealed.record), sealed.index, head.size, path, fromHex(head.root))
      ? { ok: true }
      : { ok: false, wrong: 'inclusion', why: 'The record is not the one that the ledger holds at this place.' };
  } catch (error) {
    return { ok: false, wrong: 'form', why: (error as Error).message };
  }
}
