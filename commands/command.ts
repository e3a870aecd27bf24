/** What every command shares: who may, what it takes (checked once, here at the border), and its audit entry. */
import { ValidationError, type ObjectSchema } from 'yup';
import type { EpochMs } from '@/core/units';
import { Refusal } from '@/commands/refusal';
import { execute, inTransaction, type Database, type Tx } from '@/store/database';
import type { Clock } from '@/store/clock';

export const ROLES = ['viewer', 'operator', 'administrator'] as const;
export type Role = (typeof ROLES)[number];

export interface Person {
  readonly id: number;
  readonly name: string;
  readonly fullName: string;
  readonly role: Role;
}

export interface Deed {
  readonly db: Database;
  readonly clock: Clock;
  readonly tx: Tx;
  readonly nowMs: EpochMs;
  readonly person: Person;
}

/** What goes into the audit trail besides who and when. */
export interface Done<Result> {
  readonly result: Result;
  readonly subject: string;
  readonly detail: Readonly<Record<string, unknown>>;
}

export interface Command<Input extends object, Result> {
  readonly name: string;
  readonly least: Role;
  readonly input: ObjectSchema<Input>;
  readonly run: (input: Input, deed: Deed) => Promise<Done<Result>>;
}

/** Types a command from its parts; the input type comes from the schema. */
export function command<Input extends object, Result>(parts: Command<Input, Result>): Command<Input, Result> {
  return parts;
}

/** Checks rights and input, then makes the change and its audit entry in one transaction. Refusals change nothing. */
export async function perform<Input extends object, Result>(
  wanted: Command<Input, Result>,
  raw: unknown,
  context: {
    readonly db: Database;
    readonly clock: Clock;
    readonly person: Person;
    /** The token that a request came with. */
    readonly tokenId?: number;
    /** What must be written together with the change. */
    readonly within?: (tx: Tx, result: Result) => Promise<void>;
  },
): Promise<Result> {
  const { db, clock, person, tokenId = null, within } = context;
  if (ROLES.indexOf(person.role) < ROLES.indexOf(wanted.least))
    throw new Refusal(
      'not-allowed',
      `"${wanted.name}" needs the role ${wanted.least}; ${person.name} is ${person.role}.`,
    );
  const input = await parse(wanted.input, raw);
  const { nowMs } = await clock.read();
  return inTransaction(db, async (tx) => {
    const { result, subject, detail } = await wanted.run(input, { db, clock, tx, nowMs, person });
    await execute(
      db,
      'INSERT INTO audit_entries (at_ms, user_id, token_id, action, subject, detail) VALUES (?, ?, ?, ?, ?, ?)',
      [nowMs, person.id, tokenId, wanted.name, subject.slice(0, 120), JSON.stringify(detail)],
      tx,
    );
    await within?.(tx, result);
    return result;
  });
}

/** The checked input, or a refusal that names each bad field. */
export async function parse<Input extends object>(schema: ObjectSchema<Input>, raw: unknown): Promise<Input> {
  if (raw === null || typeof raw !== 'object' || Array.isArray(raw))
    throw new Refusal('bad-input', 'The request must be a JSON object.');
  try {
    return (await schema.noUnknown().strict().validate(raw, { abortEarly: false })) as Input;
  } catch (error) {
    if (!(error instanceof ValidationError)) throw error;
    const fields = Object.fromEntries(
      (error.inner.length ? error.inner : [error]).map((e) => [e.path || 'request', e.message]),
    );
    throw new Refusal('bad-input', Object.values(fields)[0] ?? 'Not valid.', fields);
  }
}
