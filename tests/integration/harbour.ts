/** A small fleet of its own in a database of its own, with a stand-in process, for tests of the engine. */
import { spawn, type ChildProcess } from 'node:child_process';
import { createConnection } from 'mysql2/promise';
import type { Lane } from '@/core/protect/policy';
import { HOUR, GIB, MINUTE } from '@/core/units';
import { programFile, type Program } from '../../scripts/programs';
import { Journal } from '@/standin/journal';
import { Controller } from '@/standin/operations';
import type { Estate } from '@/standin/world/estate';
import { World } from '@/standin/world/world';
import { DemoClock } from '@/store/clock';
import { execute, insertMany, openDatabase, select, type Database } from '@/store/database';
import { migrate } from '@/store/migrate';

export const START = Date.parse('2026-03-12T07:00:00Z');
export const WORKLOADS = 12;

export const LANES: readonly Lane[] = [
  {
    key: 'replica',
    kind: 'replica',
    cadence: { kind: 'every', everyMs: 10 * MINUTE, offsetMs: 0 },
    ladder: { reading: 'bands', zone: 'UTC', rungs: [{ per: null, count: 1, spanMs: HOUR }] },
    consistency: 'crash',
    excludeRoles: [],
    targets: { '1': 2 },
  },
];

/** A hall with machines and a second one that takes their copies in. */
export const estateOf = (workloads: number): Estate => ({
  bornMs: START - 30 * 24 * HOUR,
  sites: [
    { id: 1, code: 'OST', name: 'Ostgate' },
    { id: 2, code: 'MIL', name: 'Millbrook' },
  ],
  links: [{ id: 1, name: 'Ostgate – Millbrook', siteA: 1, siteB: 2, rateBps: 10e9 }],
  movers: [
    { id: 1, siteId: 1, name: 'ost-m1', rateBps: 10e9 },
    { id: 2, siteId: 2, name: 'mil-m1', rateBps: 10e9 },
  ],
  places: [
    { kind: 'datastore', id: 1, siteId: 1, name: 'ost-s1', capacityBytes: 1e15 },
    { kind: 'datastore', id: 2, siteId: 2, name: 'mil-s1', capacityBytes: 1e15 },
    { kind: 'repository', id: 1, siteId: 1, name: 'ost-r1', capacityBytes: 1e15 },
    { kind: 'repository', id: 2, siteId: 2, name: 'mil-r1', capacityBytes: 1e15 },
  ],
  workloads: Array.from({ length: workloads }, (_, i) => ({
    id: i + 1,
    name: `vm-${i + 1}`,
    siteId: 1,
    guestAgent: true,
    cluster: 'ost-c1',
    bootSeconds: 60,
    serviceSeconds: 10,
    disks: [
      {
        id: i + 1,
        seed: i + 50,
        imageSeed: 1,
        role: 'data' as const,
        sizeBytes: 20 * GIB,
        activeShare: 0.1,
        periodMs: 6 * HOUR,
      },
    ],
  })),
});

const env = process.env;
export const server = {
  host: '127.0.0.1',
  port: Number(env.ANCHOR_DB_PORT),
  user: env.ANCHOR_DB_USER ?? 'root',
  password: env.ANCHOR_DB_PASSWORD ?? '',
};

/** Of the stand-in; suites that run beside each other have ports of their own. */
const PORT = Number(env.ANCHOR_TEST_STANDIN_PORT) + 6 * (Number(env.JEST_WORKER_ID ?? 1) - 1);

/** An empty database of this name, migrated. */
export async function freshDatabase(name: string): Promise<Database> {
  const connection = await createConnection(server);
  await connection.query(`DROP DATABASE IF EXISTS ${name}`);
  await connection.query(`CREATE DATABASE ${name} CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
  await connection.end();
  const db = openDatabase({ ...server, name, poolSize: 4 });
  await migrate(db);
  return db;
}

export class Harbour {
  private readonly children: ChildProcess[] = [];
  private lastStandIn: ChildProcess | null = null;
  readonly clock: DemoClock;
  private constructor(
    readonly name: string,
    readonly db: Database,
    readonly port = PORT,
  ) {
    this.clock = new DemoClock(db);
  }

  /** `lanes`: of the one policy, which takes every workload. `port`: of the stand-in. */
  static async build(
    name: string,
    lanes: readonly Lane[] = LANES,
    { workloads = WORKLOADS, port = PORT } = {},
  ): Promise<Harbour> {
    const estate = estateOf(workloads);
    const standIn = await freshDatabase(`${name}_standin`);
    await standIn.close();
    const harbour = new Harbour(name, await freshDatabase(name), port);
    await harbour.fill(lanes, estate);
    const world = new World(estate, START);
    for (const w of estate.workloads)
      world.copies.add('datastore:2', {
        key: `shipped-${w.id}`,
        workloadId: w.id,
        takenMs: START,
        diskIds: w.disks.map((d) => d.id),
        rottenBlocks: [],
      });
    const journal = await Journal.open({ ...server, database: `${name}_standin` });
    await journal.begin(new Controller(world));
    await journal.close();
    await harbour.clock.start(START, 0);
    return harbour;
  }

  /** The same fleet as it was left, with nothing running. */
  static async reopen(name: string): Promise<Harbour> {
    const harbour = new Harbour(name, openDatabase({ ...server, name, poolSize: 4 }));
    await harbour.clock.resume();
    return harbour;
  }

  /** The stand-in that was started last. */
  get standIn(): ChildProcess {
    if (!this.lastStandIn) throw new Error('there is no stand-in');
    return this.lastStandIn;
  }

  async startStandIn(): Promise<ChildProcess> {
    const child = (this.lastStandIn = this.spawn('standin'));
    for (let i = 0; i < 100; i++) {
      if (child.exitCode !== null) throw new Error('the stand-in stopped');
      const up = await fetch(`http://127.0.0.1:${this.port}/healthz`).catch(() => null);
      if (up?.ok) return child;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    throw new Error('the stand-in does not answer');
  }

  startEngine(over: Readonly<Record<string, string>> = {}): ChildProcess {
    return this.spawn('engine', over);
  }

  /** Asks for a jump without waiting for it. */
  async beginJump(byMs: number): Promise<number> {
    const { nowMs } = await this.clock.read();
    await this.clock.requestJump(nowMs + byMs);
    return nowMs + byMs;
  }

  async untilArrived(patienceMs = 60_000): Promise<void> {
    for (const end = Date.now() + patienceMs; Date.now() < end;) {
      if ((await this.clock.read()).jumpToMs === null) return;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error('the jump did not arrive');
  }

  fault(operation: 'setFault' | 'clearFault', body: object): Promise<unknown> {
    return this.operation(operation, body);
  }

  /** Asks the stand-in itself, as a person with its credentials could. */
  async operation(name: string, body: object): Promise<unknown> {
    const { nowMs } = await this.clock.read();
    const answer = await fetch(`http://127.0.0.1:${this.port}/operations`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: `Bearer ${env.ANCHOR_STANDIN_TOKEN}` },
      body: JSON.stringify({ atMs: nowMs, calls: [{ name, body }] }),
    });
    if (!answer.ok) throw new Error(await answer.text());
    const { answers } = (await answer.json()) as { answers: Array<{ result?: unknown; problem?: { title: string } }> };
    if (answers[0]?.problem) throw new Error(JSON.stringify(answers[0].problem));
    return answers[0]?.result;
  }

  /** What the stand-in's mail server and webhook receiver took in, the newest first. */
  async received(): Promise<Array<{ kind: string; target: string; subject: string; body: string }>> {
    const answer = await fetch(`http://127.0.0.1:${this.port}/received`, {
      headers: { authorization: `Bearer ${env.ANCHOR_STANDIN_TOKEN}` },
    });
    return (
      (await answer.json()) as { received: Array<{ kind: string; target: string; subject: string; body: string }> }
    ).received;
  }

  rows<Row extends object>(sql: string, values: readonly unknown[] = []): Promise<Row[]> {
    return select<Row>(this.db, sql, values);
  }

  async close(): Promise<void> {
    for (const child of this.children) await this.kill(child);
    await this.db.close();
  }

  /** kill -9, and gone when this resolves. */
  async kill(child: ChildProcess): Promise<void> {
    if (child.exitCode !== null || child.signalCode !== null) return;
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGKILL');
    await gone;
  }

  private spawn(program: Program, over: Readonly<Record<string, string>> = {}): ChildProcess {
    const child = spawn(process.execPath, [programFile(program)], {
      env: {
        ...env,
        NODE_ENV: 'production',
        ANCHOR_DB_NAME: this.name,
        ANCHOR_STANDIN_DB_NAME: `${this.name}_standin`,
        ANCHOR_STANDIN_PORT: String(this.port),
        ANCHOR_STANDIN_MAIL_PORT: String(this.port + 20),
        ANCHOR_SMTP_URL: `smtp://127.0.0.1:${this.port + 20}`,
        ANCHOR_CLOCK: 'demo',
        ...over,
      },
      stdio: 'ignore',
    });
    this.children.push(child);
    return child;
  }

  private async fill(lanes: readonly Lane[], estate: Estate): Promise<void> {
    const { db } = this;
    await execute(db, 'INSERT INTO tiers VALUES (1, ?, ?, ?, ?, 2, ?)', [
      15 * MINUTE,
      HOUR,
      HOUR,
      90 * 24 * HOUR,
      24 * HOUR,
    ]);
    await execute(
      db,
      `INSERT INTO sites VALUES (1,'OST','Ostgate','hall','Europe/Oslo',0,0),(2,'MIL','Millbrook','hall','Europe/Oslo',0,0)`,
    );
    await execute(
      db,
      `INSERT INTO links (id, name, site_a, site_b, rate_bps, rtt_ms, loss) VALUES (1,'Ostgate – Millbrook',1,2,10000000000,3,0)`,
    );
    await execute(
      db,
      `INSERT INTO datastores (id, site_id, name, capacity_bytes) VALUES (1,1,'ost-s1',1000000000000000),(2,2,'mil-s1',1000000000000000)`,
    );
    await execute(
      db,
      `INSERT INTO repositories (id, site_id, name, capacity_bytes, immutable_ms) VALUES (1,1,'ost-r1',1000000000000000,0),(2,2,'mil-r1',1000000000000000,0)`,
    );
    await execute(db, `INSERT INTO clusters (id, site_id, name, cores, memory_bytes) VALUES (1,1,'ost-c1',64,1000)`);
    await execute(db, `INSERT INTO movers VALUES (1,1,'ost-m1',8,10000000000),(2,2,'mil-m1',8,10000000000)`);
    await execute(db, `INSERT INTO applications VALUES (1,'Ticketing',1)`);
    const columns = [
      'id',
      'name',
      'application_id',
      'site_id',
      'cluster_id',
      'datastore_id',
      'network_id',
      'address',
      'cores',
      'memory_bytes',
      'role',
      'labels',
      'guest_agent',
    ];
    await insertMany(
      db,
      'workloads',
      columns,
      estate.workloads.map((w) => [w.id, w.name, 1, 1, 1, 1, 1, `192.0.2.${w.id}`, 2, GIB, 'db', '{}', true]),
    );
    await execute(db, `INSERT INTO policies VALUES (1,'Tier 1','',1)`);
    await execute(db, `INSERT INTO policy_revisions VALUES (1,1,?,'{"takes":"all"}',?,NULL)`, [
      JSON.stringify(lanes),
      START,
    ]);
    await insertMany(
      db,
      'enrolments',
      ['id', 'workload_id', 'policy_id', 'revision', 'reason', 'since_ms'],
      estate.workloads.map((w) => [w.id, w.id, 1, 1, '{"answers":[],"alsoFits":[]}', START]),
    );
    await insertMany(
      db,
      'schedules',
      ['enrolment_id', 'lane_key', 'workload_id', 'due_ms'],
      estate.workloads.flatMap((w) =>
        lanes.map((lane) => [w.id, lane.key, w.id, lane.cadence.kind === 'after' ? null : START + w.id * 45_000]),
      ),
    );
  }
}
