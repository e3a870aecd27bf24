/**
 * npm run rotate-key: a new key for the secrets in the database of npm start, which must be stopped. With ANCHOR_KEY,
 * ANCHOR_NEW_KEY and ANCHOR_DB_… set, those of another database. Cut off anywhere, it can be run again.
 */
import { randomBytes } from 'node:crypto';
import { existsSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { databaseOptions, openDatabase, type DatabaseOptions } from '@/store/database';
import { reseal } from '@/store/reseal';
import { sealingKey } from '@/store/sealed';
import { guard, LIVE, Stack } from './stack';

async function rotate(options: DatabaseOptions, known: readonly Buffer[], next: Buffer): Promise<void> {
  const db = openDatabase(options);
  const count = await reseal(db, known, next).finally(() => db.close());
  console.log(`Secrets sealed with the new key: ${count}.`);
}

const keyOf = (hex: string | undefined): Buffer => sealingKey({ ...process.env, ANCHOR_KEY: hex });

await guard(async (onStop) => {
  const { ANCHOR_KEY: old, ANCHOR_NEW_KEY: next } = process.env;
  if (next !== undefined) {
    await rotate(databaseOptions(process.env, 1), [keyOf(old), keyOf(next)], keyOf(next));
    process.exit(0);
  }
  const stack = await Stack.begin(LIVE);
  onStop(() => stack.stop());
  const file = stack.keyFile;
  const coming = `${file}.next`;
  // Written first: if this is cut off after the commit, the next try still has it.
  if (!existsSync(coming)) writeFileSync(coming, randomBytes(32).toString('hex'), { mode: 0o600 });
  const nextKey = keyOf(readFileSync(coming, 'utf8').trim());
  await rotate(stack.databaseOptions(1), [keyOf(stack.env.ANCHOR_KEY), nextKey], nextKey);
  renameSync(coming, file);
  await stack.stop();
  process.exit(0);
});
