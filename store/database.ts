/**
 * The one door to MariaDB.
 *
 * Lock order, obeyed everywhere: clock, schedules, runs, points, workloads, misses, drills, audit_entries.
 */
import { Sequelize, type Transaction } from 'sequelize';

export type Database = Sequelize;
export type Tx = Transaction;

/** Where the database is. `password` comes from the environment or a file, never from code. */
export interface DatabaseOptions {
  readonly host: string;
  readonly port: number;
  readonly user: string;
  readonly password: string;
  readonly name: string;
  /** Connections kept at most. */
  readonly poolSize: number;
}

/** The environment says where the database is; a missing variable is named. */
export function databaseOptions(env: NodeJS.ProcessEnv, poolSize = 8): DatabaseOptions {
  const need = (key: string): string => {
    const value = env[key];
    if (!value) throw new Error(`${key} is not set. Start through npm run demo or npm start, which set it.`);
    return value;
  };
  return {
    host: env.ANCHOR_DB_HOST ?? '127.0.0.1',
    port: Number(need('ANCHOR_DB_PORT')),
    user: need('ANCHOR_DB_USER'),
    password: need('ANCHOR_DB_PASSWORD'),
    name: need('ANCHOR_DB_NAME'),
    poolSize,
  };
}

export function openDatabase(options: DatabaseOptions): Database {
  const db = new Sequelize(options.name, options.user, options.password, {
    host: options.host,
    port: options.port,
    dialect: 'mysql',
    logging: false,
    timezone: '+00:00',
    pool: { max: options.poolSize, min: 0, idle: 30_000, acquire: 20_000 },
    dialectOptions: { decimalNumbers: true, connectTimeout: 5_000 },
    retry: { max: 0 },
  });
  // Once a connection instead of once a transaction: a statement less in each.
  db.addHook('afterConnect', (connection: unknown) => readCommitted(connection as Connection));
  return db;
}

interface Connection {
  query(sql: string, done: (error: Error | null) => void): void;
}

function readCommitted(connection: Connection): Promise<void> {
  return new Promise((resolve, reject) =>
    connection.query('SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED', (error) =>
      error ? reject(error) : resolve(),
    ),
  );
}

type Values = readonly unknown[] | Record<string, unknown>;

/** Rows of a SELECT. Values are escaped by the driver; `values` is positional (?) or named (:name). */
export async function select<Row extends object>(
  db: Database,
  sql: string,
  values: Values = [],
  tx?: Tx,
): Promise<Row[]> {
  // Without a type rows come as the driver made them; of a SELECT Sequelize would copy each.
  const [rows] = await db.query(sql, { replacements: values as never, ...(tx ? { transaction: tx } : {}) });
  return rows as Row[];
}

/** First row of a SELECT, or null. */
export async function selectOne<Row extends object>(
  db: Database,
  sql: string,
  values: Values = [],
  tx?: Tx,
): Promise<Row | null> {
  return (await select<Row>(db, sql, values, tx))[0] ?? null;
}

/** Runs a change; returns the number of rows it matched and the id it made (0: none). */
export async function execute(
  db: Database,
  sql: string,
  values: Values = [],
  tx?: Tx,
): Promise<{ rows: number; id: number }> {
  const options = { replacements: values as never, ...(tx ? { transaction: tx } : {}) };
  // Of an INSERT INTO Sequelize hands out [id, rows], of any other change (INSERT IGNORE too) [header, header].
  const [first, second] = (await db.query(sql, options)) as [
    number | { affectedRows?: number; insertId?: number } | undefined,
    unknown,
  ];
  if (typeof first === 'number') return { rows: typeof second === 'number' ? second : 0, id: first };
  return { rows: first?.affectedRows ?? 0, id: first?.insertId ?? 0 };
}

const BATCH = 500;

/** Inserts many rows with few statements, in batches. `verb` may be INSERT IGNORE where a key makes repeats harmless. */
export async function insertMany(
  db: Database,
  table: string,
  columns: readonly string[],
  rows: ReadonlyArray<readonly unknown[]>,
  tx?: Tx,
  verb: 'INSERT' | 'INSERT IGNORE' = 'INSERT',
): Promise<void> {
  for (let i = 0; i < rows.length; i += BATCH) {
    const batch = rows.slice(i, i + BATCH);
    const tuple = `(${columns.map(() => '?').join(',')})`;
    await execute(
      db,
      `${verb} INTO ${table} (${columns.join(',')}) VALUES ${batch.map(() => tuple).join(',')}`,
      batch.flat(),
      tx,
    );
  }
}

export interface UpdateManyOptions {
  /** Further assignments with constants, added to the columns'. */
  readonly set?: string;
  /** Assignments in place of "t.column = v.column", where a column is not simply taken over. */
  readonly assign?: string;
  /** What a row must be for the change to touch it; rows are `t`, given values are `v`. */
  readonly fence?: { readonly sql: string; readonly values: readonly unknown[] };
  readonly tx?: Tx;
}

/**
 * Changes many rows by key with few statements: each of `rows` holds the key's values, then the columns'.
 * Keys must differ from each other. A batch is one statement; give `tx` where all must hold together.
 */
export async function updateMany(
  db: Database,
  table: string,
  key: readonly string[],
  columns: readonly string[],
  rows: ReadonlyArray<readonly unknown[]>,
  options: UpdateManyOptions = {},
): Promise<void> {
  const names = [...key, ...columns];
  const first = `SELECT ${names.map((name) => `? ${name}`).join(',')}`;
  const further = ` UNION ALL SELECT ${names.map(() => '?').join(',')}`;
  const assign = options.assign ?? columns.map((c) => `t.${c} = v.${c}`).join(',');
  const on = key.map((k) => `t.${k} = v.${k}`).join(' AND ');
  const set = [assign, options.set].filter(Boolean).join(', ');
  for (let i = 0; i < rows.length; i += BATCH) {
    const batch = rows.slice(i, i + BATCH);
    await execute(
      db,
      `UPDATE ${table} t JOIN (${first}${further.repeat(batch.length - 1)}) v ON ${on} SET ${set}
        ${options.fence ? `WHERE ${options.fence.sql}` : ''}`,
      [...batch.flat(), ...(options.fence?.values ?? [])],
      options.tx,
    );
  }
}

/** Errors after which the same transaction may be tried again: deadlock, lock wait time-out, certification conflict. */
const RETRYABLE = new Set([1205, 1213]);

/** True if a change was refused because a unique key is taken. */
export function isDuplicateKey(error: unknown): boolean {
  return (error as { original?: { errno?: number } } | null)?.original?.errno === 1062;
}

/** Runs `work` in a transaction; tries again on a deadlock, five times at most. */
export async function inTransaction<T>(db: Database, work: (tx: Tx) => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await db.transaction(work);
    } catch (error) {
      const errno = (error as { original?: { errno?: number } }).original?.errno ?? 0;
      if (!RETRYABLE.has(errno) || attempt >= 5) throw error;
      await new Promise((resolve) => setTimeout(resolve, 20 * attempt));
    }
  }
}
