/** Sails storms one after the other on each of some ports, and counts. */
import { LONG_EVERY } from '../tests/chaos/storm';

/** Legs of a storm: with the quiet after it, a day of the fleet. */
export const LEGS = 6;

export async function stormSeeds(
  env: NodeJS.ProcessEnv,
  {
    seeds,
    from,
    legs = LEGS,
    ports,
  }: { readonly seeds: number; readonly from: number; readonly legs?: number; readonly ports: readonly number[] },
): Promise<{ passed: number; failed: number }> {
  // Engines of a storm are declared dead sooner than others, so that a storm is over sooner.
  Object.assign(process.env, env, { ANCHOR_LEASE_MS: '1500' });
  const { sail } = await import('../tests/chaos/sail');
  // The long ones first, so that none is left alone at the end.
  const isShort = (seed: number): number => Math.sign(seed % LONG_EVERY);
  const queue = Array.from({ length: seeds }, (_, i) => from + i).sort((a, b) => isShort(a) - isShort(b) || a - b);
  let failed = 0;
  const lane = async (port: number): Promise<void> => {
    for (let seed = queue.shift(); seed !== undefined; seed = queue.shift()) {
      const began = performance.now();
      const { broken, runs, days } = await sail(seed, legs, port);
      const took = ((performance.now() - began) / 1000).toFixed(1);
      console.log(
        `${broken.length ? 'FAILED' : 'passed'}  storm ${seed}: ${runs} runs in ${days.toFixed(1)} days, ${took} s`,
      );
      for (const line of broken.slice(0, 12)) console.log(`        ${line}`);
      if (broken.length) {
        failed++;
        console.log(
          `        again: npm run chaos -- --seeds 1 --from ${seed}${legs === LEGS ? '' : ` --legs ${legs}`}`,
        );
      }
    }
  };
  await Promise.all(ports.map(lane));
  return { passed: seeds - failed, failed };
}
