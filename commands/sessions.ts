/** Signing in and out: argon2id, sessions on the server, rate limits that all web processes share. */
import { verify } from '@node-rs/argon2';
import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { RateLimiterMySQL, type RateLimiterRes } from 'rate-limiter-flexible';
import { object, string } from 'yup';
import type { Person, Role } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { execute, selectOne, type Database } from '@/store/database';

/** Twelve hours of real time. */
export const SESSION_MS = 12 * 3_600_000;
const TRIES = { points: 10, duration: 60 };

export interface Session {
  readonly person: Person;
  readonly csrfToken: string;
  readonly theme: 'light' | 'dark';
}

interface UserRow {
  id: number;
  name: string;
  full_name: string;
  role: Role;
  password_hash: string;
}

const credentials = object({
  name: string().required('Give your name.').max(64),
  password: string().required('Give your password.').max(200),
});
/** Verified against when the name is unknown, so that the answer takes as long. */
const NOBODY = '$argon2id$v=19$m=19456,t=2,p=1$c29tZXNhbHRzb21lc2FsdA$0123456789012345678901234567890123456789012';
let limiter: RateLimiterMySQL | null = null;

/**
 * Returns the token for the cookie. Refuses wrong credentials, and too many tries for one name: the address a request
 * says it comes from can be made up, the name cannot.
 */
export async function signIn(db: Database, raw: unknown): Promise<string> {
  const { name, password } = await credentials
    .strict()
    .validate(raw)
    .catch((error: Error) => Promise.reject(new Refusal('bad-input', error.message)));
  await countTry(db, name);
  const user = await selectOne<UserRow>(
    db,
    'SELECT id, name, full_name, role, password_hash FROM users WHERE name = ?',
    [name],
  );
  const good = await verify(user?.password_hash ?? NOBODY, password).catch(() => false);
  if (!user || !good) throw new Refusal('wrong-credentials', 'Name or password is wrong.');
  const token = randomBytes(32).toString('base64url');
  const now = Date.now();
  await execute(
    db,
    'INSERT INTO sessions (token_hash, user_id, csrf_token, created_real_ms, expires_real_ms) VALUES (?, ?, ?, ?, ?)',
    [hashOf(token), user.id, randomBytes(32).toString('base64url'), now, now + SESSION_MS],
  );
  return token;
}

async function countTry(db: Database, key: string): Promise<void> {
  limiter ??= new RateLimiterMySQL({
    storeClient: db,
    storeType: 'sequelize',
    dbName: db.getDatabaseName(),
    tableName: 'rate_limits',
    tableCreated: true,
    keyPrefix: 'sign-in',
    ...TRIES,
  });
  try {
    await limiter.consume(key);
  } catch (refused) {
    if (refused instanceof Error) throw refused;
    const seconds = Math.ceil((refused as RateLimiterRes).msBeforeNext / 1000);
    throw new Refusal('too-many-tries', `Too many tries. Wait ${seconds} s.`);
  }
}

export async function signOut(db: Database, token: string): Promise<void> {
  await execute(db, 'UPDATE sessions SET revoked_real_ms = ? WHERE token_hash = ? AND revoked_real_ms IS NULL', [
    Date.now(),
    hashOf(token),
  ]);
}

/** The session of a cookie's token, or null if it is unknown, over or revoked. */
export async function sessionOf(db: Database, token: string | undefined): Promise<Session | null> {
  if (!token || token.length > 100) return null;
  const row = await selectOne<{
    id: number;
    name: string;
    full_name: string;
    role: Role;
    csrf_token: string;
    theme: 'light' | 'dark';
  }>(
    db,
    `SELECT u.id, u.name, u.full_name, u.role, u.theme, s.csrf_token FROM sessions s JOIN users u ON u.id = s.user_id
      WHERE s.token_hash = ? AND s.revoked_real_ms IS NULL AND s.expires_real_ms > ?`,
    [hashOf(token), Date.now()],
  );
  return row
    ? {
        person: { id: row.id, name: row.name, fullName: row.full_name, role: row.role },
        csrfToken: row.csrf_token,
        theme: row.theme,
      }
    : null;
}

export function requireToken(session: Session, given: string | null): void {
  const a = Buffer.from(session.csrfToken);
  const b = Buffer.from(given ?? '');
  if (a.length !== b.length || !timingSafeEqual(a, b))
    throw new Refusal('bad-token', 'The request did not come from a page of this session.');
}

function hashOf(token: string): string {
  return createHash('sha256').update(token).digest('hex');
}
