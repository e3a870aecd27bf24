/** Secrets at rest: AES-256-GCM with a key that is not in the database (ANCHOR_KEY, 64 hex digits). */
import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';

const NONCE = 12;
const TAG = 16;

export function sealingKey(env: NodeJS.ProcessEnv): Buffer {
  const hex = env.ANCHOR_KEY ?? '';
  if (!/^[0-9a-f]{64}$/.test(hex))
    throw new Error('ANCHOR_KEY must be 64 hex digits; start through npm run demo or npm start, which set it.');
  return Buffer.from(hex, 'hex');
}

export function seal(secret: string, key: Buffer): Buffer {
  const nonce = randomBytes(NONCE);
  const cipher = createCipheriv('aes-256-gcm', key, nonce);
  const body = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), body]);
}

/** Throws where the key is another one, or the bytes were changed. */
export function unseal(sealed: Buffer, key: Buffer): string {
  const decipher = createDecipheriv('aes-256-gcm', key, sealed.subarray(0, NONCE));
  decipher.setAuthTag(sealed.subarray(NONCE, NONCE + TAG));
  try {
    return Buffer.concat([decipher.update(sealed.subarray(NONCE + TAG)), decipher.final()]).toString('utf8');
  } catch (cause) {
    throw new Error('The secret does not open with this key (ANCHOR_KEY): put the right one back.', { cause });
  }
}
