/**
 * Makes the world durable: its own tables, its own database. Copies are rows, and so are things in flight; the rest is
 * small, changes all the time and lies in one JSON row. Writers of the same moment share one commit, and nobody is answered
 * before the commit.
 */
import { createPool, type Pool, type PoolConnection, type RowDataPacket } from 'mysql2/promise';
import { groupBy } from '@/core/group-by';
import type { Copy } from '@/standin/world/copies';
import { placeKey, type Estate } from '@/standin/world/estate';
import { KeptRows, type Things } from '@/standin/kept-rows';
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
  KeptRows.TABLE,
];

type Moment = ReturnType<World['moment']> & { readonly used: Record<string, number> };
type Changes = World['copies']['changes'];

/** What a world that was left by an older version does not say. */
const NOTHING_MORE = { sent: [], streams: [], shipments: [], throttles: [] };

const BATCH = 500;

export class Journal {
  private readonly rows = new KeptRows();
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
    for (const table of ['copies', 'things']) await this.pool.query(`DELETE FROM ${table}`);
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
    const moment = { ...NOTHING_MORE, ...(JSON.parse(momentRow.body as string) as Moment) };
    const world = new World(estate, moment.nowMs);
    const [rows] = await this.pool.query<RowDataPacket[]>('SELECT place, body FROM copies ORDER BY taken_ms');
    for (const row of rows) world.copies.add(row.place as string, JSON.parse(row.body as string) as Copy);
    for (const [place, bytes] of Object.entries(moment.used)) world.copies.setUsedBytes(place, bytes);
    world.copies.changes.length = 0;
    const controller = new Controller(world);
    const things = await this.rows.load(this.pool);
    const part = (name: 'transfers' | 'snapshots' | 'captures' | 'clones'): never[] =>
      (things.get(name) ?? []) as never[];
    world.restore(moment, {
      transfers: part('transfers'),
      snapshots: part('snapshots'),
      captures: part('captures'),
    });
    for (const clone of part('clones')) controller.yard.restore(clone);
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
    const { changes } = controller.world.copies;
    const taken = changes.splice(0);
    const work = this.write(controller, taken)
      .catch((error: unknown) => {
        // What could not be written is written with what comes next.
        changes.unshift(...taken);
        throw error;
      })
      .finally(() => {
        if (this.running === work) this.running = null;
      });
    this.running = work;
    return work;
  }

  private async write(controller: Controller, changes: Changes): Promise<void> {
    const moment = JSON.stringify(momentOf(controller));
    const things = thingsOf(controller);
    const connection = await this.pool.getConnection();
    try {
      await connection.beginTransaction();
      await writeCopies(connection, changes);
      const committed = await this.rows.write(connection, things);
      await connection.query('REPLACE INTO moment VALUES (1, ?)', [moment]);
      await connection.commit();
      committed();
    } catch (error) {
      await connection.rollback();
      throw error;
    } finally {
      connection.release();
    }
  }
}

async function writeCopies(connection: PoolConnection, all: Changes): Promise<void> {
  // Of a copy that came and went the last word counts.
  const changes = [...new Map(all.map((change) => [`${change.place}/${change.copy.key}`, change])).values()];
  const come = changes.filter((change) => !change.gone);
  for (let i = 0; i < come.length; i += BATCH)
    await connection.query('REPLACE INTO copies (place, copy_key, body, taken_ms) VALUES ?', [
      come.slice(i, i + BATCH).map(({ place, copy }) => [place, copy.key, JSON.stringify(copy), copy.takenMs]),
    ]);
  // By place: of pairs after IN the database reads the whole table where there is but one.
  const gone = groupBy(
    changes.filter((change) => change.gone),
    (change) => change.place,
  );
  for (const [place, list] of gone)
    await connection.query('DELETE FROM copies WHERE place = ? AND copy_key IN (?)', [
      place,
      list.map(({ copy }) => copy.key),
    ]);
}

/** What comes and goes, each by its key. */
function thingsOf({ world, yard }: Controller): Things {
  const { transfers, snapshots, captures } = world.inFlight();
  const byKey = (list: ReadonlyArray<{ readonly key: string }>) => new Map(list.map((thing) => [thing.key, thing]));
  return new Map([
    ['transfers', byKey(transfers)],
    ['snapshots', byKey(snapshots)],
    ['captures', byKey(captures)],
    ['clones', byKey([...yard.clones.values()])],
  ]);
}

function momentOf({ world }: Controller): Moment {
  const used: Record<string, number> = {};
  for (const place of world.estate.places) used[placeKey(place)] = world.copies.usedBytes(placeKey(place));
  return { ...world.moment(), used };
}
