/** Tokens of the API as their owners see them; never their secrets. */
import { select, type Database } from '@/store/database';

export interface TokenRow {
  readonly id: number;
  readonly name: string;
  readonly owner: string;
  readonly scope: string;
  readonly createdRealMs: number;
  readonly expiresRealMs: number;
  readonly usedRealMs: number | null;
  readonly revoked: boolean;
}

/** All tokens for an administrator, one's own for others. */
export async function tokenList(
  db: Database,
  person: { readonly id: number; readonly role: string },
): Promise<TokenRow[]> {
  const rows = await select<Omit<TokenRow, 'revoked'> & { revoked: number }>(
    db,
    `SELECT t.id, t.name, u.full_name owner, t.scope, t.created_real_ms createdRealMs, t.expires_real_ms expiresRealMs,
            t.used_real_ms usedRealMs, t.revoked_real_ms IS NOT NULL revoked
       FROM api_tokens t JOIN users u ON u.id = t.user_id WHERE ? OR t.user_id = ? ORDER BY t.id DESC LIMIT 200`,
    [person.role === 'administrator', person.id],
  );
  return rows.map((t) => ({ ...t, revoked: Boolean(t.revoked) }));
}
