/** Rows on their way into the database, many with one statement. */
import type { Pool } from 'mysql2/promise';

const BATCH = 1_000;

export async function insert(
  pool: Pool,
  table: string,
  columns: readonly string[],
  rows: readonly unknown[][],
): Promise<void> {
  const writes: Array<Promise<unknown>> = [];
  for (let i = 0; i < rows.length; i += BATCH) {
    writes.push(pool.query(`INSERT INTO ${table} (${columns.join(',')}) VALUES ?`, [rows.slice(i, i + BATCH)]));
    if (writes.length >= 4) await Promise.all(writes.splice(0));
  }
  await Promise.all(writes);
}

/** Writes rows of one table while more of them come: full batches at once, the rest at the end. */
export class RowStream {
  private rows: unknown[][] = [];
  private readonly writes: Array<Promise<void>> = [];
  private failure: unknown = null;

  constructor(
    private readonly pool: Pool,
    private readonly table: string,
    private readonly columns: readonly string[],
  ) {}

  push(row: unknown[]): void {
    this.rows.push(row);
    if (this.rows.length >= BATCH) this.write();
  }

  async end(): Promise<void> {
    this.write();
    await Promise.all(this.writes);
    if (this.failure) throw this.failure;
  }

  /** A write that fails is told at the end: nobody waits for it while the history is made. */
  private write(): void {
    const rows = this.rows.splice(0);
    this.writes.push(
      insert(this.pool, this.table, this.columns, rows).catch((error: unknown) => void (this.failure ??= error)),
    );
  }
}
