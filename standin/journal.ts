/**
 * Makes the world durable: its own tables, its own database. Copies are rows; what is in flight is small and lies in one
 * JSON row. Writers of the same moment share one commit, and nobody is answered before the commit.
 */
import { createPool, type Pool, type RowDataPacket } from 'mysql2/promise';
import type { Copy } from '@/standin/world/copies';
import { placeKey, type Estate } from '@/standin/world/estate';
import { Controller } from '@/standin/operations';
import { World } from '@/standin/world/world';

export interface JournalOptions {
  readonly host: string;
  readonly port: number;
  readonly user: string;
  readonly password: string;
  readonly database: string;
}

const TABLES = [
  'CREATE TABLE IF NOT EXISTS estate (id TINYINT PRIMARY KEY, body LONGTEXT NOT NULL)',
  'CREATE TABLE IF NOT EXISTS moment (id TINYINT PRIMARY KEY, body LONGTEXT NOT NULL)',
  `CREATE TABLE IF NOT EXISTS copies (place VARCHAR(40) NOT NULL, copy_key VARCHAR(64) NOT NULL, body TEXT NOT NULL,
    taken_ms BIGINT NOT NULL, PRIMARY KEY (place, copy_key))`,
];

type Moment = ReturnType<World['inFlight']> & {
  readonly clones: unknown[];
  readonly used: Record<string, number>;
};

/** What a world that was left by an older version does not say. */
const NOTHING_MORE = { captures: [], streams: [], shipments: [], throttles: [] };

export class Journal {
  private running: Promise<void> | null = null;
  private next: Promise<void> | null = null;
  private constructor(private readonly pool: Pool) {}

  static async open(options: JournalOptions): Promise<Journal> {
    const pool = createPool({ ...options, connectionLimit: 2, dateStrings: true });
    for (const table of TABLES) await pool.query(table);
    return new Journal(pool);
  }

  close(): Promise<void> {
    return this.pool.end();
  }

  /** Replaces everything by a new world: used once, when a demo is seeded. */
  async begin(controller: Controller): Promise<void> {
    await this.pool.query('DELETE FROM copies');
    await this.pool.query('REPLACE INTO estate VALUES (1, ?)', [JSON.stringify(controller.world.estate)]);
    controller.world.copies.changes.length = 0;
    const copies = controller.world.estate.places.flatMap((place) =>
      controller.world.copies.all(placeKey(place)).map((copy) => ({ place: placeKey(place), copy, gone: false })),
    );
    await this.write(controller, copies);
  }

  /** The world as it was left, or null if there is none yet. */
  async load(): Promise<Controller | null> {
    const [[estateRow]] = await this.pool.query<RowDataPacket[]>('SELECT body FROM estate WHERE id = 1');
    const [[momentRow]] = await this.pool.query<RowDataPacket[]>('SELECT body FROM moment WHERE id = 1');
    if (!estateRow || !momentRow) return null;
    const estate = JSON.parse(estateRow.body as string) as Estate;
    const moment = { ...NOTHING_MORE, ...(JSON.parse(momentRow.body as string) as Partial<Moment>) } as Moment;
    const world = new World(estate, moment.nowMs);
    const [rows] = await this.pool.query<RowDataPacket[]>('SELECT place, body FROM copies ORDER BY taken_ms');
    for (const row of rows) world.copies.add(row.place as string, JSON.parse(row.body as string) as Copy);
    for (const [place, bytes] of Object.entries(moment.used)) world.copies.setUsedBytes(place, bytes);
    world.copies.changes.length = 0;
    const controller = new Controller(world);
    world.restore(moment);
    for (const clone of moment.clones) controller.yard.restore(clone as never);
    return controller;
  }

  /** Resolves once all that the controller did before this call is committed. */
  async flush(controller: Controller): Promise<void> {
    if (this.running) {
      this.next ??= this.running.then(() => {
        this.next = null;
        return this.start(controller);
      });
      return this.next;
    }
    return this.start(controller);
  }

  private start(controller: Controller): Promise<void> {
    const work = this.write(controller, controller.world.copies.changes.splice(0)).finally(() => {
      if (this.running === work) this.running = null;
    });
    this.running = work;
    return work;
  }

  private async write(controller: Controller, changes: World['copies']['changes']): Promise<void> {
    const moment = JSON.stringify(momentOf(controller));
    const connection = await this.pool.getConnection();
    try {
      await connection.beginTransaction();
      const come = changes.filter((change) => !change.gone);
      for (let i = 0; i < come.length; i += 500)
        await connection.query('REPLACE INTO copies (place, copy_key, body, taken_ms) VALUES ?', [
          come.slice(i, i + 500).map(({ place, copy }) => [place, copy.key, JSON.stringify(copy), copy.takenMs]),
        ]);
      const gone = changes.filter((change) => change.gone).map(({ place, copy }) => [place, copy.key]);
      for (let i = 0; i < gone.length; i += 500)
        await connection.query('DELETE FROM copies WHERE (place, copy_key) IN (?)', [gone.slice(i, i + 500)]);
      await connection.query('REPLACE INTO moment VALUES (1, ?)', [moment]);
      await connection.commit();
    } catch (error) {
      await connection.rollback();
      throw error;
    } finally {
      connection.release();
    }
  }
}

function momentOf(controller: Controller): Moment {
  const { world, yard } = controller;
  const used: Record<string, number> = {};
  for (const place of world.estate.places) used[placeKey(place)] = world.copies.usedBytes(placeKey(place));
  return { ...world.inFlight(), clones: [...yard.clones.values()], used };
}
