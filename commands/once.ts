/** Changes asked for with a key: the same key and request twice have one effect, and get one answer. */
import { createHash } from 'node:crypto';
import { perform, type Command, type Person } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import type { Clock } from '@/store/clock';
import { execute, selectOne, type Database, type Tx } from '@/store/database';

/** How long an answer is kept, in ms of real time. */
const KEPT_MS = 86_400_000;

export interface OnceContext {
  readonly db: Database;
  readonly clock: Clock;
  readonly person: Person;
  readonly tokenId: number;
  /** Null: the request carried no key. */
  readonly key: string | null;
}

/** The answer is written in the transaction of the change, so there is none without the other. */
export async function performOnce<Input extends object, Result>(
  wanted: Command<Input, Result>,
  raw: unknown,
  context: OnceContext,
): Promise<unknown> {
  const { db, tokenId, key } = context;
  if (key === null) return perform(wanted, raw, context);
  if (!/^[\x21-\x7e]{1,64}$/.test(key))
    throw new Refusal('bad-input', 'Idempotency-Key takes 1 to 64 letters without spaces.');
  const request = createHash('sha256')
    .update(`${wanted.name}\n${JSON.stringify(raw)}`)
    .digest('hex');
  const known = await answered(db, tokenId, key, request);
  if (known !== undefined) return known;
  const keep = async (tx: Tx, result: Result): Promise<void> => {
    const now = Date.now();
    await execute(db, 'DELETE FROM idempotency_keys WHERE created_real_ms < ? LIMIT 100', [now - KEPT_MS], tx);
    await execute(
      db,
      'INSERT INTO idempotency_keys (token_id, idem_key, request_hash, body, created_real_ms) VALUES (?, ?, ?, ?, ?)',
      [tokenId, key, request, JSON.stringify(result), now],
      tx,
    );
  };
  try {
    return await perform(wanted, raw, { ...context, within: keep });
  } catch (error) {
    // The same request may have come twice at one moment, and the other one was first: then its answer is the answer.
    const first = await answered(db, tokenId, key, request);
    if (first === undefined) throw error;
    return first;
  }
}

async function answered(db: Database, tokenId: number, key: string, request: string): Promise<unknown> {
  const row = await selectOne<{ request_hash: string; body: unknown }>(
    db,
    'SELECT request_hash, body FROM idempotency_keys WHERE token_id = ? AND idem_key = ?',
    [tokenId, key],
  );
  if (!row) return undefined;
  if (row.request_hash !== request) throw new Refusal('conflict', 'This Idempotency-Key was used for another request.');
  return typeof row.body === 'string' ? (JSON.parse(row.body) as unknown) : row.body;
}
