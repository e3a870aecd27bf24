/** Tokens of the API: made once, shown once, hashed at rest, bounded by a scope and by what their owner may do. */
import { createHash, randomBytes } from 'node:crypto';
import { mixed, number, object, string } from 'yup';
import { command, ROLES, type Person, type Role } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { id } from '@/commands/shapes';
import { execute, selectOne, type Database } from '@/store/database';

export const SCOPES = ['read', 'operate', 'administer'] as const;
export type Scope = (typeof SCOPES)[number];
const ROLE_OF: Readonly<Record<Scope, Role>> = { read: 'viewer', operate: 'operator', administer: 'administrator' };
const DAY_MS = 86_400_000;

export const createToken = command({
  name: 'create-token',
  least: 'operator',
  input: object({
    name: string().required('Give it a name.').trim().min(2, 'At least 2 letters.').max(64, 'At most 64 letters.'),
    scope: mixed<Scope>()
      .oneOf([...SCOPES], 'Must be read, operate or administer.')
      .required(),
    days: number().required().integer().min(1, 'At least a day.').max(366, 'At most a year.'),
  }),
  run: async ({ name, scope, days }, { db, tx, person }) => {
    if (ROLES.indexOf(ROLE_OF[scope]) > ROLES.indexOf(person.role))
      throw new Refusal('not-allowed', `A token cannot do more than its owner, who is ${person.role}.`);
    const secret = `ab_${randomBytes(32).toString('base64url')}`;
    const now = Date.now();
    const { id: tokenId } = await execute(
      db,
      'INSERT INTO api_tokens (name, token_hash, user_id, scope, created_real_ms, expires_real_ms) VALUES (?, ?, ?, ?, ?, ?)',
      [name, hashOf(secret), person.id, scope, now, now + days * DAY_MS],
      tx,
    );
    return { result: { tokenId, secret }, subject: `token ${name}`, detail: { tokenId, scope, days } };
  },
});

export const revokeToken = command({
  name: 'revoke-token',
  least: 'operator',
  input: object({ tokenId: id() }),
  run: async ({ tokenId }, { db, tx, person }) => {
    const { rows } = await execute(
      db,
      `UPDATE api_tokens SET revoked_real_ms = ? WHERE id = ? AND revoked_real_ms IS NULL AND (user_id = ? OR ?)`,
      [Date.now(), tokenId, person.id, person.role === 'administrator'],
      tx,
    );
    if (!rows) throw new Refusal('not-found', `There is no token ${tokenId} of yours in force.`);
    return { result: { tokenId }, subject: `token ${tokenId}`, detail: {} };
  },
});

export interface Bearer {
  readonly tokenId: number;
  readonly person: Person;
}

/** Who a bearer token speaks for: its owner, with no more than the role of its scope. Refuses what is not in force. */
export async function bearerOf(db: Database, authorization: string | null): Promise<Bearer> {
  const secret = /^Bearer (ab_[\w-]{43})$/.exec(authorization ?? '')?.[1];
  const row = secret
    ? await selectOne<{
        id: number;
        user_id: number;
        name: string;
        full_name: string;
        role: Role;
        scope: Scope;
        used_real_ms: number | null;
      }>(
        db,
        `SELECT t.id, t.user_id, u.name, u.full_name, u.role, t.scope, t.used_real_ms FROM api_tokens t JOIN users u ON u.id = t.user_id
          WHERE t.token_hash = ? AND t.revoked_real_ms IS NULL AND t.expires_real_ms > ?`,
        [hashOf(secret), Date.now()],
      )
    : null;
  if (!row) throw new Refusal('not-signed-in', 'Send a token in force: Authorization: Bearer ab_…');
  // Once a minute is enough to see which tokens are still used.
  if (Date.now() - (row.used_real_ms ?? 0) > 60_000)
    await execute(db, 'UPDATE api_tokens SET used_real_ms = ? WHERE id = ?', [Date.now(), row.id]);
  const role = ROLES[Math.min(ROLES.indexOf(row.role), ROLES.indexOf(ROLE_OF[row.scope]))] as Role;
  return { tokenId: row.id, person: { id: row.user_id, name: row.name, fullName: row.full_name, role } };
}

function hashOf(secret: string): string {
  return createHash('sha256').update(secret).digest('hex');
}
