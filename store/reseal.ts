/** Rotation of the key that seals secrets in the database. */
import { execute, inTransaction, select, type Database } from '@/store/database';
import { seal, unseal } from '@/store/sealed';

/**
 * Seals every secret anew with `next`, all in one transaction. Each is opened with the first of `known` that fits; one that
 * none opens is an error, and then nothing is changed. Returns how many there are.
 */
export function reseal(db: Database, known: readonly Buffer[], next: Buffer): Promise<number> {
  return inTransaction(db, async (tx) => {
    const rows = await select<{ id: number; target: string; secret: Buffer }>(
      db,
      'SELECT id, target, secret FROM notice_routes WHERE secret IS NOT NULL ORDER BY id FOR UPDATE',
      [],
      tx,
    );
    for (const { id, target, secret } of rows) {
      const opened = openWithAny(secret, known);
      if (opened === null)
        throw new Error(
          `The secret of the notices to ${target} opens with no key that was given; nothing was changed.`,
        );
      await execute(db, 'UPDATE notice_routes SET secret = ? WHERE id = ?', [seal(opened, next), id], tx);
    }
    return rows.length;
  });
}

function openWithAny(secret: Buffer, keys: readonly Buffer[]): string | null {
  for (const key of keys)
    try {
      return unseal(secret, key);
    } catch {
      // Not this one.
    }
  return null;
}
