/** npm run demo: Fennmark Rail, five weeks in, with a clock that runs 60 times faster. */
import { DEMO_USERS, seedDemo } from '@/demo/seed';
import { openDatabase, selectOne } from '@/store/database';
import { migrate } from '@/store/migrate';
import { DemoClock } from '@/store/clock';
import { buildOnce, guard, Stack } from './stack';

await guard(async (onStop) => {
  const port = (key: string, standard: number) => Number(process.env[key] ?? standard);
  const stack = await Stack.begin({
    directory: 'demo',
    ports: {
      database: port('ANCHOR_DB_PORT', 3616),
      standIn: port('ANCHOR_STANDIN_PORT', 3617),
      web: port('ANCHOR_WEB_PORT', 3600),
      mail: port('ANCHOR_STANDIN_MAIL_PORT', 3618),
    },
    clock: 'demo',
    fresh: process.argv.includes('--fresh'),
  });
  onStop(() => stack.stop());
  const db = openDatabase(stack.databaseOptions(2));
  await migrate(db);
  const seeded = await selectOne(db, 'SELECT id FROM clock WHERE id = 1');
  const begun = await selectOne(db, 'SELECT id FROM sites LIMIT 1');
  await db.close();
  if (!seeded) {
    // The clock is written last: without it a seeding was cut off, and what it left is no history.
    if (begun) await stack.emptyDatabases();
    const started = Date.now();
    const demo = {
      database: stack.databaseOptions(),
      standIn: stack.standInOptions(),
      rate: 60,
      say: (text: string) => console.log(text),
    };
    // Each takes a minute, and neither needs the other.
    await Promise.all([seedDemo(demo), buildOnce()]);
    console.log(`Seeded and built in ${((Date.now() - started) / 1000).toFixed(0)} s.`);
  }
  await buildOnce();
  await resumeClock(stack);
  await stack.startStandIn();
  stack.startEngine();
  await stack.startWeb();
  stack.keepUp();
  console.log(`\n  Anchor Bay is at ${stack.address}\n`);
  for (const user of DEMO_USERS) console.log(`  ${user.role.padEnd(14)} ${user.name}  ${user.password}`);
  console.log('\n  Ctrl-C stops everything; the data stays. npm run demo -- --fresh begins anew.\n');
  await new Promise(() => setInterval(() => undefined, 1 << 30));
});

/** While the demo was off, no time passed. */
async function resumeClock(stack: Stack): Promise<void> {
  const db = openDatabase(stack.databaseOptions(1));
  await new DemoClock(db).resume();
  await db.close();
}
