/**
 * npm run bench: one JSON line a figure: {name, n, value, unit, better, target?, ok?, peer?, ratio?}. Names of groups after
 * "--" choose some of them: npm run bench -- core engine pages. Own database and ports.
 */
import { seedDemo } from '@/demo/seed';
import { openDatabase } from '@/store/database';
import { benchCore } from './bench/core';
import { benchIdle, benchStart, liftLimits } from './bench/engine';
import { print } from './bench/figure';
import { printMachine } from './bench/machine';
import { benchPages } from './bench/pages';
import { benchRuns } from './bench/runs';
import { guard, Stack } from './stack';

const GROUPS = ['core', 'engine', 'pages'] as const;
const asked = process.argv.slice(2);
const unknown = asked.filter((name) => !GROUPS.some((group) => group === name));
if (unknown.length) {
  console.error(`No such group: ${unknown.join(', ')}. There are ${GROUPS.join(', ')}.`);
  process.exit(2);
}
const wanted = (group: (typeof GROUPS)[number]): boolean => !asked.length || asked.includes(group);

await guard(async (onStop) => {
  printMachine();
  if (wanted('core')) benchCore();
  if (!wanted('engine') && !wanted('pages')) process.exit(0);
  const stack = await Stack.begin({
    directory: 'bench',
    ports: { database: 3916, standIn: 3917, web: 3900 },
    clock: 'demo',
    fresh: true,
  });
  onStop(() => stack.stop());
  if (wanted('engine')) await benchRuns(stack.env);
  const started = performance.now();
  await seedDemo({ database: stack.databaseOptions(), standIn: stack.standInOptions(), rate: 0, say: () => undefined });
  const seconds = (performance.now() - started) / 1000;
  print({ name: 'seeding', n: 1, value: seconds, unit: 's', better: 'lower', target: 60 });
  await stack.startStandIn();
  const db = openDatabase(stack.databaseOptions(2));
  // Before an engine reads them.
  if (wanted('engine')) await liftLimits(db);
  const engine = stack.startEngine();
  if (wanted('engine')) await benchIdle(db, engine.pid ?? 0);
  if (wanted('pages')) {
    await stack.startWeb();
    printMachine();
    await benchPages(db, stack.address);
  }
  if (wanted('engine')) await benchStart(db, engine.pid ?? 0);
  await db.close();
  await stack.stop();
  process.exit(0);
});
