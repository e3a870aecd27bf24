/** Fills an empty database with Fennmark Rail: its estate, five weeks of history made by running them, and sign-ins. */
import { hash as hashPassword } from '@node-rs/argon2';
import { createPool, type Pool } from 'mysql2/promise';
import type { Lane } from '@/core/protect/policy';
import { buildEstate, buildFleet, buildRunbook, type FleetRunbook, type FleetWorkload } from '@/demo/fleet';
import { HistoryMaker } from '@/demo/history';
import type { History, HistorySink } from '@/demo/past';
import { APPLICATIONS, DRILLS_HELD, HISTORY_MS, POLICIES, START_MS, TROUBLE } from '@/demo/scenario';
import { insert } from '@/demo/insert';
import { placeFor, siteOfPlace, writeEstate } from '@/demo/write-estate';
import { HistoryStream, type SpaceReading, writeHistory, writeSpace } from '@/demo/write-history';
import { Journal, type JournalOptions } from '@/standin/journal';
import { Controller } from '@/standin/operations';
import { placeKey } from '@/standin/world/estate';
import { World } from '@/standin/world/world';
import { DemoClock } from '@/store/clock';
import { openDatabase, type DatabaseOptions } from '@/store/database';
import { migrate } from '@/store/migrate';

/** Sign-ins of the demo: shown when it starts, never used outside it. */
export const DEMO_USERS = [
  { name: 'ines', fullName: 'Ines Halvorsen', role: 'administrator', password: 'harbour-light-1' },
  { name: 'olav', fullName: 'Olav Brekke', role: 'operator', password: 'harbour-light-2' },
  { name: 'vera', fullName: 'Vera Lind', role: 'viewer', password: 'harbour-light-3' },
] as const;

export interface SeedOptions {
  readonly database: DatabaseOptions;
  readonly standIn: JournalOptions;
  /** Fleet seconds a real second that the clock starts with. */
  readonly rate: number;
  readonly say: (text: string) => void;
}

export async function seedDemo(options: SeedOptions): Promise<void> {
  const { database: d } = options;
  const db = openDatabase(d);
  const pool = createPool({
    host: d.host,
    port: d.port,
    user: d.user,
    password: d.password,
    database: d.name,
    connectionLimit: 4,
  });
  // Every key that is written was made here, rows of one table before those that name them.
  pool.on('connection', (connection) => connection.query('SET SESSION foreign_key_checks = 0'));
  try {
    await migrate(db);
    const fleet = buildFleet();
    const runbooks = buildRunbooks(fleet);
    await writeEstate(pool, fleet, runbooks);
    options.say(`Running five weeks of ${fleet.length} workloads …`);
    const stream = new HistoryStream(pool);
    const controller = makeController(fleet);
    const history = await makeHistory(controller, fleet, runbooks, stream);
    options.say(`Writing the last of ${history.runs.length} runs and ${history.points.length} points …`);
    await stream.end();
    await writeHistory(pool, history, fleet);
    await writeSpace(pool, history.space);
    await writeUsers(pool);
    // So many rows at once: without fresh statistics the first hours would run on bad plans.
    await pool.query('ANALYZE TABLE runs, points, misses, schedules, workloads');
    const journal = await Journal.open(options.standIn);
    await journal.begin(controller);
    await journal.close();
    await new DemoClock(db).start(START_MS, options.rate);
  } finally {
    await pool.end();
    await db.close();
  }
}

/** How often the history reads the space of places. */
const SPACE_EVERY_MS = 6 * 3_600_000;

const lanesOf = (w: FleetWorkload): readonly Lane[] => POLICIES.find((p) => p.id === w.policyId)?.lanes ?? [];

/** One runbook an application and source site that was ever drilled, and one for Payroll that never was. */
function buildRunbooks(fleet: readonly FleetWorkload[]): FleetRunbook[] {
  const wanted = [{ application: 'Ticketing', from: 1 }, ...DRILLS_HELD, { application: 'Payroll', from: 1 }];
  const unique = wanted.filter(
    (w, i) => wanted.findIndex((o) => o.application === w.application && o.from === w.from) === i,
  );
  return unique.map(({ application, from }, i) => buildRunbook(i + 1, application, from, fleet));
}

function makeController(fleet: readonly FleetWorkload[]): Controller {
  const world = new World(buildEstate(fleet), START_MS - HISTORY_MS);
  // First full copies came on a shipped disk: the content of the first day lies at every place before the first run.
  for (const w of fleet)
    for (const lane of lanesOf(w))
      world.copies.add(placeKey(placeFor(w, lane)), {
        key: `shipped-${w.id}`,
        shipped: true,
        workloadId: w.id,
        takenMs: START_MS - HISTORY_MS,
        rottenBlocks: [],
        diskIds: w.disks.filter((disk) => !lane.excludeRoles.includes(disk.role)).map((disk) => disk.id),
      });
  return new Controller(world);
}

async function makeHistory(
  controller: Controller,
  fleet: readonly FleetWorkload[],
  runbooks: readonly FleetRunbook[],
  sink: HistorySink,
): Promise<History & { readonly space: readonly SpaceReading[] }> {
  const ago = (minutes: number) => START_MS - minutes * 60_000;
  const happenings = TROUBLE.flatMap(({ kind, subject, agoMin, forMin, factor }) => [
    {
      atMs: ago(agoMin),
      act: (c: Controller) => c.world.setFault({ kind, subject, ...(factor === undefined ? {} : { factor }) }),
    },
    ...(forMin === null
      ? []
      : [{ atMs: ago(agoMin - forMin), act: (c: Controller) => c.world.clearFault(kind, subject) }]),
  ]);
  const drills = DRILLS_HELD.map((held) => ({
    atMs: ago(held.agoMin),
    runbook: runbookOf(runbooks, held),
    siteOfPlace,
  }));
  const samples: SpaceReading[] = [];
  for (let atMs = START_MS - HISTORY_MS; atMs <= START_MS; atMs += SPACE_EVERY_MS)
    happenings.push({ atMs, act: (c) => void samples.push(...spaceReadings(c, atMs)) });
  const history = await new HistoryMaker(controller, {
    fromMs: START_MS - HISTORY_MS,
    toMs: START_MS,
    fleet,
    lanesOf,
    happenings,
    drills,
    testNetworkOf: (siteId) => siteId * 2,
    sink,
  }).make();
  return { ...history, space: samples };
}

function spaceReadings(controller: Controller, atMs: number): SpaceReading[] {
  const { repositories, datastores } = controller.operations.status();
  const reading = (kind: SpaceReading['kind']) => (p: { id: number; usedBytes: number }) => ({ kind, ...p, atMs });
  return [...repositories.map(reading('repository')), ...datastores.map(reading('datastore'))];
}

function runbookOf(runbooks: readonly FleetRunbook[], held: { application: string; from: number }): FleetRunbook {
  const applicationId = APPLICATIONS.findIndex(([, name]) => name === held.application) + 1;
  const runbook = runbooks.find((r) => r.applicationId === applicationId && r.sourceSiteId === held.from);
  if (!runbook) throw new Error(`No runbook for ${held.application} from site ${held.from}.`);
  return runbook;
}

async function writeUsers(pool: Pool): Promise<void> {
  const rows: unknown[][] = [];
  for (const user of DEMO_USERS) rows.push([user.name, user.fullName, user.role, await hashPassword(user.password)]);
  await insert(pool, 'users', ['name', 'full_name', 'role', 'password_hash'], rows);
}
