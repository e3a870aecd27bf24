/** What an operation of the API is, and how lists and changes are made from queries and commands. */
import { listOf, refTo } from '@/app/api/v1/schemas';
import type { Command } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import type { Bearer } from '@/commands/tokens';
import type { EpochMs } from '@/core/units';
import type { Connected } from '@/queries/connect';
import type { ListOptions, Page } from '@/queries/listing';

type Database = Connected['db'];

export interface Call {
  readonly db: Database;
  readonly nowMs: EpochMs;
  readonly bearer: Bearer;
  /** Values of the path, by name. */
  readonly path: Readonly<Record<string, number>>;
  readonly query: URLSearchParams;
  readonly body: unknown;
  /** Carries out a command once for the key of the request. */
  readonly perform: (command: Command<object, unknown>, input: object) => Promise<unknown>;
}

export interface Operation {
  readonly method: 'get' | 'post' | 'delete';
  readonly path: string;
  readonly id: string;
  readonly summary: string;
  readonly scope: 'read' | 'operate' | 'administer';
  /** Filters of a list, by name, with their schema. */
  readonly filters?: Readonly<Record<string, object>>;
  readonly body?: object;
  readonly answer: object;
  readonly carryOut: (call: Call) => Promise<unknown>;
}

export const whole = { type: 'integer', minimum: 1 };
type Lister = (db: Database, options: ListOptions, nowMs: EpochMs) => Promise<Page<unknown>>;

/** A list and its single item: the same rows, the same schema. */
export function resource(
  path: string,
  name: string,
  list: Lister,
  key: string,
  filters: Readonly<Record<string, { readonly column: string; readonly schema: object }>>,
): Operation[] {
  return [
    {
      method: 'get',
      path: `/${path}`,
      id: `list${name}s`,
      summary: `${name}s, the newest first`,
      scope: 'read',
      filters: Object.fromEntries(Object.entries(filters).map(([filter, { schema }]) => [filter, schema])),
      answer: listOf(name),
      carryOut: async ({ db, query, nowMs }) => {
        const allowed = [...Object.keys(filters), 'cursor', 'limit'];
        for (const given of query.keys())
          if (!allowed.includes(given))
            throw new Refusal('bad-input', `There is no parameter ${given}; there are ${allowed.join(', ')}.`);
        const where = Object.entries(filters).map(([filter, { column, schema }]) => [
          column,
          valueOf(filter, query.get(filter), schema),
        ]);
        const options = {
          after: cursorOf(query),
          limit: limitOf(query),
          where: Object.fromEntries(where) as ListOptions['where'],
        };
        const { items, nextAfter } = await list(db, options, nowMs);
        return { items, next: nextAfter === null ? null : Buffer.from(String(nextAfter)).toString('base64url') };
      },
    },
    {
      method: 'get',
      path: `/${path}/{id}`,
      id: `get${name}`,
      summary: `One ${name.toLowerCase()}`,
      scope: 'read',
      answer: refTo(name),
      carryOut: async ({ db, path: at, nowMs }) => {
        const { items } = await list(db, { after: null, limit: 1, where: { [key]: at.id ?? 0 } }, nowMs);
        if (!items.length) throw new Refusal('not-found', `There is no ${name.toLowerCase()} ${at.id}.`);
        return items[0];
      },
    },
  ];
}

/** A command as an operation: values of the path and the body are its input. */
export function change<Input extends object, Result>(
  method: 'post' | 'delete',
  path: string,
  id: string,
  summary: string,
  command: Command<Input, Result>,
  answer: object,
  inputOf: (call: Call) => object,
  body?: object,
): Operation {
  return {
    method,
    path,
    id,
    summary,
    scope: command.least === 'administrator' ? 'administer' : 'operate',
    ...(body ? { body } : {}),
    answer,
    carryOut: (call) => call.perform(command as unknown as Command<object, unknown>, inputOf(call)),
  };
}

export const fields = (call: Call): Record<string, unknown> => {
  if (call.body === null || typeof call.body !== 'object' || Array.isArray(call.body))
    throw new Refusal('bad-input', 'The request must be a JSON object.');
  return call.body as Record<string, unknown>;
};
export const bodyOf = (properties: Readonly<Record<string, object>>, required = Object.keys(properties)): object => ({
  type: 'object',
  properties,
  required,
  additionalProperties: false,
});
const LIMIT = { least: 1, usual: 50, most: 500 } as const;

function limitOf(query: URLSearchParams): number {
  const limit = Number(query.get('limit') ?? LIMIT.usual);
  if (!Number.isInteger(limit) || limit < LIMIT.least || limit > LIMIT.most)
    throw new Refusal('bad-input', `limit takes ${LIMIT.least} to ${LIMIT.most}.`);
  return limit;
}

function cursorOf(query: URLSearchParams): number | null {
  const cursor = query.get('cursor');
  if (cursor === null) return null;
  const after = Number(Buffer.from(cursor, 'base64url').toString('utf8'));
  if (!Number.isSafeInteger(after) || after < 1) throw new Refusal('bad-input', 'This is no cursor that a list gave.');
  return after;
}

function valueOf(name: string, given: string | null, schema: object): string | number | null {
  if (given === null) return null;
  const { type, enum: allowed, maxLength } = schema as { type?: string; enum?: string[]; maxLength?: number };
  if (type === 'integer') {
    const value = Number(given);
    if (!Number.isSafeInteger(value) || value < 1)
      throw new Refusal('bad-input', `${name} takes a whole number from 1 on.`);
    return value;
  }
  if (allowed && !allowed.includes(given)) throw new Refusal('bad-input', `${name} takes ${allowed.join(', ')}.`);
  if (maxLength !== undefined && given.length > maxLength)
    throw new Refusal('bad-input', `${name} takes ${maxLength} letters.`);
  return given;
}
