/**
 * npm run chaos -- [--seeds N] [--from N] [--legs N]: storms over a small fleet, two at a time, each judged by its invariants. The last
 * line is "N passed, N failed"; a seed that failed is printed so that it can be sailed again alone.
 */
import { guard, Stack } from './stack';
import { LEGS, stormSeeds } from './storms';

const args = process.argv.slice(2);
function option(name: string, otherwise: number): number {
  const at = args.indexOf(`--${name}`);
  const value = at < 0 ? otherwise : Number(args[at + 1]);
  if (!Number.isSafeInteger(value) || value < 1) {
    console.error(`--${name} takes a whole number from 1 on.`);
    process.exit(2);
  }
  return value;
}
const seeds = option('seeds', 20);
const from = option('from', 1);
const legs = option('legs', LEGS);

await guard(async (onStop) => {
  const stack = await Stack.begin({
    directory: 'chaos',
    ports: { database: 3816, standIn: 3817, web: 3800 },
    clock: 'demo',
    fresh: true,
    flush: 'each-second',
  });
  onStop(() => stack.stop());
  const { passed, failed } = await stormSeeds(stack.env, { seeds, from, legs, ports: [3818, 3819, 3820] });
  await stack.stop();
  console.log(`${passed} passed, ${failed} failed`);
  process.exit(failed ? 1 : 0);
});
