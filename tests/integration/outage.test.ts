/** The database dies in the middle of work and is back after a while: engines wait, go on, and nothing is lost or doubled. */
import { HOUR, MINUTE } from '@/core/units';
import { execute } from '@/store/database';
import { startMariaDb, type Server } from '../../scripts/mariadb';
import { lanesFor, RPO_MS, WORKLOADS } from '../chaos/fleet';

jest.setTimeout(240_000);
const DIRECTORY = '.data/test-outage';
const PORT = Number(process.env.ANCHOR_DB_PORT) + 6;
/** How long it is away, in ms of real time. */
const AWAY_MS = 12_000;

let server: Server;
beforeAll(async () => {
  server = await startMariaDb(DIRECTORY, PORT, { fresh: true, flush: 'each-second' });
  Object.assign(process.env, {
    ANCHOR_DB_PORT: String(PORT),
    ANCHOR_DB_PASSWORD: server.password,
    ANCHOR_LEASE_MS: '1500',
  });
});
afterAll(() => server.stop());

test('two engines live through a database that is killed and comes back', async () => {
  // Both read the environment as they are loaded.
  const { Harbour } = await import('./harbour');
  const { brokenInvariants } = await import('../chaos/invariants');
  const lanes = lanesFor(2);
  const harbour = await Harbour.build('anchor_bay_outage_test', lanes, { workloads: WORKLOADS });
  try {
    await execute(harbour.db, 'UPDATE tiers SET rpo_ms = ?', [RPO_MS]);
    await harbour.startStandIn();
    const engines = [harbour.startEngine(), harbour.startEngine()];
    await harbour.beginJump(12 * HOUR);
    await new Promise((resolve) => setTimeout(resolve, 3_000));
    const gone = new Promise((resolve) => server.kept.child.once('exit', resolve));
    server.kept.child.kill('SIGKILL');
    await gone;
    await new Promise((resolve) => setTimeout(resolve, AWAY_MS));
    expect(engines.map((engine) => engine.exitCode)).toEqual([null, null]);
    server = await startMariaDb(DIRECTORY, PORT, { flush: 'each-second' });
    await harbour.untilArrived(120_000);
    for (let tries = 0; tries < 200; tries++) {
      await harbour.beginJump(MINUTE);
      await harbour.untilArrived();
      const [busy] = await harbour.rows<{ n: number }>(
        `SELECT (SELECT COUNT(*) FROM runs WHERE state IN ('running', 'waiting'))
              + (SELECT COUNT(*) FROM points WHERE marked_ms IS NOT NULL AND gone_ms IS NULL) n`,
      );
      if (busy?.n === 0) break;
    }
    for (const engine of engines) await harbour.kill(engine);
    expect(await brokenInvariants(harbour, lanes, (await harbour.clock.read()).nowMs)).toEqual([]);
    const [count] = await harbour.rows<{ n: number }>(`SELECT COUNT(*) n FROM runs WHERE state = 'succeeded'`);
    expect(count?.n).toBeGreaterThan(WORKLOADS * 6);
  } finally {
    await harbour.close();
  }
});
