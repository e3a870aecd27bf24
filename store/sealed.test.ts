import { randomBytes } from 'node:crypto';
import { seal, sealingKey, unseal } from '@/store/sealed';

const key = randomBytes(32);

test('what was sealed opens with its key only, and not when a bit was changed', () => {
  const sealed = seal('harbour', key);
  expect(unseal(sealed, key)).toBe('harbour');
  expect(sealed.includes('harbour')).toBe(false);
  expect(() => unseal(sealed, randomBytes(32))).toThrow(/ANCHOR_KEY/);
  sealed[sealed.length - 1] = (sealed.at(-1) as number) ^ 1;
  expect(() => unseal(sealed, key)).toThrow();
});

test('the same secret is sealed otherwise each time', () => {
  expect(seal('a', key).equals(seal('a', key))).toBe(false);
});

test.each(['', 'abc', 'g'.repeat(64)])('%p is no key, and it is said where one comes from', (hex) => {
  expect(() => sealingKey({ ANCHOR_KEY: hex } as unknown as NodeJS.ProcessEnv)).toThrow(/npm start/);
});
