import { ed25519 } from '@noble/curves/ed25519.js';
import { sha256, sha512 } from '@noble/hashes/sha2.js';
import fc from 'fast-check';
import { fromHex, inclusionProof, rootOf, toHex } from '@/core/prove/ledger';
import {
  canonicalJson,
  NotCanonical,
  publicKeyOf,
  recordLeaf,
  sign,
  signRoot,
  verifySealed,
  type SealedRecord,
} from '@/core/prove/seal';

const bytes = (text: string) => new TextEncoder().encode(text);

// FIPS 180-4 examples (from memory).
test.each([
  ['', 'e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855'],
  ['abc', 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'],
  [
    'abcdbcdecdefdefgefghfghighijhijkijkljklmklmnlmnomnopnopq',
    '248d6a61d20638b8e5c026930c3e6039a33ce45964ff2167f6ecedd419db06c1',
  ],
  ['a'.repeat(1_000_000), 'cdc76e5c9914fb9281a1c7e284d73e67f1809a48a497200e046d39ccc7112cd0'],
])('14-S, S4: SHA-256', (text, digest) => expect(toHex(sha256(bytes(text)))).toBe(digest));
test('14-S5: SHA-512 of "abc"', () => {
  expect(toHex(sha512(bytes('abc'))).slice(0, 32)).toBe('ddaf35a193617abacc417349ae204131');
});

// RFC 8032 7.1 (from memory); reproduced by node:crypto.
test.each([
  [
    '14-E1',
    '9d61b19deffd5a60ba844af492ec2cc44449c5697b326919703bac031cae7f60',
    '',
    'd75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a',
    'e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9b46bd25bf5f0595bbe24655141438e7a100b',
  ],
  [
    '14-E2',
    '4ccd089b28ff96da9db6c346ec114e0f5b8a319f35aba624da8cf6ed4fb8a6fb',
    '72',
    '3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c',
    '92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f11d8c387b2eaeb4302aeeb00d291612bb0c00',
  ],
])('%s: key and signature', (_id, secret, message, key, signature) => {
  expect(publicKeyOf(fromHex(secret))).toBe(key);
  expect(sign(fromHex(message), fromHex(secret))).toBe(signature);
  expect(ed25519.verify(fromHex(signature), fromHex(message), fromHex(key))).toBe(true);
});

test('canonical JSON sorts names by UTF-16, writes numbers the shortest way, and has one text a value (RFC 8785)', () => {
  expect(canonicalJson({ b: [1e21, 0.1, -0, 1e-7], a: { '\u20ac': 1, '1': 2 }, A: 'é\n' })).toBe(
    '{"A":"é\\n","a":{"1":2,"€":1},"b":[1e+21,0.1,0,1e-7]}',
  );
  fc.assert(
    fc.property(fc.jsonValue(), (value) => {
      const text = canonicalJson(value);
      expect(canonicalJson(JSON.parse(text))).toBe(text);
    }),
  );
});
test.each([NaN, Infinity, undefined])('%p has no canonical JSON', (value) => {
  expect(() => canonicalJson(value)).toThrow(NotCanonical);
});

const SECRET = fromHex('9d61b19deffd5a60ba844af492ec2cc44449c5697b326919703bac031cae7f60');
const KEY = publicKeyOf(SECRET);
function sealed(index: number): SealedRecord {
  const records = [
    { drill: 1, rta: 840 },
    { drill: 2, rta: 900 },
    { drill: 3, rta: 720 },
  ];
  const leaves = records.map(recordLeaf);
  return {
    record: records[index],
    index,
    path: inclusionProof(leaves, index).map(toHex),
    head: signRoot(3, rootOf(leaves), 1_773_000_000_000, SECRET),
  };
}
test('a sealed record verifies offline, in whatever order its names stand', () => {
  for (const index of [0, 1, 2]) expect(verifySealed(sealed(index), KEY)).toEqual({ ok: true });
  expect(verifySealed({ ...sealed(1), record: { rta: 900, drill: 2 } }, KEY)).toEqual({ ok: true });
});
test.each<[string, (s: SealedRecord) => SealedRecord, string]>([
  ['another measurement', (s) => ({ ...s, record: { drill: 2, rta: 600 } }), 'inclusion'],
  ['another place', (s) => ({ ...s, index: 0 }), 'inclusion'],
  ['another root', (s) => ({ ...s, head: { ...s.head, root: s.head.root.replace(/^../, '00') } }), 'signature'],
  ['another time', (s) => ({ ...s, head: { ...s.head, atMs: s.head.atMs + 1 } }), 'signature'],
  ['a path that is no hash', (s) => ({ ...s, path: ['zz'] }), 'form'],
])('%s is found', (_name, change, wrong) => {
  expect(verifySealed(change(sealed(1)), KEY)).toMatchObject({ ok: false, wrong });
});
test('another key is found', () => {
  expect(verifySealed(sealed(0), publicKeyOf(SECRET.map((b) => b ^ 1)))).toMatchObject({
    ok: false,
    wrong: 'signature',
  });
});
