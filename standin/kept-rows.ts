/** Rows that follow things in memory: of all that is there only what differs from what was written last is written. */
import type { Pool, PoolConnection, RowDataPacket } from 'mysql2/promise';

/** Things of several parts, each by its key. */
export type Things = ReadonlyMap<string, ReadonlyMap<string, unknown>>;

const BATCH = 500;

export class KeptRows {
  static readonly TABLE = `CREATE TABLE IF NOT EXISTS things (part VARCHAR(16) NOT NULL, thing_key VARCHAR(128) NOT NULL,
    body TEXT NOT NULL, PRIMARY KEY (part, thing_key))`;

  /** Body by part and key, as of the newest commit. */
  private written = new Map<string, Map<string, string>>();

  /** Reads all rows; what is written from now on is the difference to them. */
  async load(pool: Pool): Promise<Map<string, unknown[]>> {
    const [rows] = await pool.query<RowDataPacket[]>('SELECT part, thing_key, body FROM things');
    this.written = new Map();
    for (const { part, thing_key, body } of rows) this.of(part as string).set(thing_key as string, body as string);
    return new Map(
      [...this.written].map(([part, bodies]) => [part, [...bodies.values()].map((b) => JSON.parse(b) as unknown)]),
    );
  }

  /** Writes the difference inside the caller's transaction. To be followed by what it returns once that is committed. */
  async write(connection: PoolConnection, things: Things): Promise<() => void> {
    const come: Array<[string, string, string]> = [];
    const gone = new Map<string, string[]>();
    for (const [part, byKey] of things) {
      const before = this.of(part);
      for (const [key, thing] of byKey) {
        const body = JSON.stringify(thing);
        if (before.get(key) !== body) come.push([part, key, body]);
      }
      const left = [...before.keys()].filter((key) => !byKey.has(key));
      if (left.length) gone.set(part, left);
    }
    for (let i = 0; i < come.length; i += BATCH)
      await connection.query('REPLACE INTO things (part, thing_key, body) VALUES ?', [come.slice(i, i + BATCH)]);
    for (const [part, keys] of gone)
      await connection.query('DELETE FROM things WHERE part = ? AND thing_key IN (?)', [part, keys]);
    return () => {
      for (const [part, key, body] of come) this.of(part).set(key, body);
      for (const [part, keys] of gone) for (const key of keys) this.of(part).delete(key);
    };
  }

  private of(part: string): Map<string, string> {
    let bodies = this.written.get(part);
    if (!bodies) this.written.set(part, (bodies = new Map<string, string>()));
    return bodies;
  }
}
