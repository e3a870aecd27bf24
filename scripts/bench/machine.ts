/** How fast the machine is at this moment: the same on one machine may differ by a factor of three from hour to hour. */
import { createHash } from 'node:crypto';
import { print } from './figure';

const HASHES = 200_000;

/** Microseconds of one SHA-256 of a few octets: what other figures of the same minute can be divided by. */
export function printMachine(): void {
  const hashAll = (): number => {
    const started = performance.now();
    for (let i = 0; i < HASHES; i++) createHash('sha256').update(`${i}`).digest();
    return ((performance.now() - started) * 1000) / HASHES;
  };
  hashAll();
  print({
    name: 'SHA-256 of a few octets, for comparing machines',
    n: HASHES,
    value: hashAll(),
    unit: 'us',
    better: 'lower',
  });
}
