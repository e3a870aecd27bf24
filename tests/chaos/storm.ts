/** What befalls the fleet: drawn from a seed, so that a storm can be sailed again. */
import type { FaultKind } from '@/core/protect/fault';
import { seededRandom } from '@/core/random';
import { HOUR, MINUTE, type DurationMs } from '@/core/units';
import { WORKLOADS } from './fleet';

export type Blow =
  | {
      readonly kind: 'fault';
      readonly fault: { readonly kind: FaultKind; readonly subject: string; readonly factor?: number };
    }
  | { readonly kind: 'heal' }
  | { readonly kind: 'kill-engine'; readonly afterRealMs: number }
  | { readonly kind: 'stop-engine'; readonly afterRealMs: number }
  | { readonly kind: 'second-engine' }
  | { readonly kind: 'kill-stand-in'; readonly afterRealMs: number }
  | { readonly kind: 'drop-connections'; readonly afterRealMs: number }
  | { readonly kind: 'clock-leaps'; readonly byMs: DurationMs }
  | { readonly kind: 'run-now'; readonly workloadId: number; readonly lane: string }
  | { readonly kind: 'hold' };

export interface Leg {
  readonly blow: Blow;
  readonly passMs: DurationMs;
}

const FAULTS: ReadonlyArray<readonly [FaultKind, readonly string[]]> = [
  ['link-cut', ['Ostgate – Millbrook']],
  ['link-slow', ['Ostgate – Millbrook']],
  ['link-lossy', ['Ostgate – Millbrook']],
  ['site-down', ['Ostgate', 'Millbrook']],
  ['site-credentials', ['Ostgate', 'Millbrook']],
  ['name-lookup', ['Millbrook']],
  ['clock-drift', ['Ostgate']],
  ['mover-killed', ['ost-m1', 'mil-m1']],
  ['repository-full', ['mil-r1', 'ost-r1']],
  ['repository-read-only', ['mil-r1', 'ost-r1']],
  ['rotten-block', ['mil-r1', 'ost-r1']],
  ['host-lost', ['ost-c1']],
  ['guest-credentials', ['vm-1', 'vm-2']],
  ['guest-agent-missing', ['vm-3']],
  ['freeze-timeout', ['vm-4']],
  ['stuck-snapshot', ['vm-1', 'vm-5']],
  ['disks-moving', ['vm-2', 'vm-4']],
];

/** Every so many storms one lasts for weeks: six times as many legs, each some five times as long. */
export const LONG_EVERY = 20;

/** A storm of some legs; a fault in every second one, on average, and something done to the processes in every third. */
export function stormOf(seed: number, legs: number): Leg[] {
  const random = seededRandom(seed);
  const long = seed % LONG_EVERY === 0;
  const whole = (below: number): number => Math.floor(random() * below);
  const one = <T>(list: readonly T[]): T => list[whole(list.length)] as T;
  const blow = (): Blow => {
    const draw = random();
    const afterRealMs = 30 + whole(700);
    if (draw < 0.4) {
      const [kind, subjects] = one(FAULTS);
      return {
        kind: 'fault',
        fault: { kind, subject: one(subjects), ...(kind === 'link-slow' ? { factor: 0.02 } : {}) },
      };
    }
    if (draw < 0.5) return { kind: 'heal' };
    if (draw < 0.65) return { kind: 'kill-engine', afterRealMs };
    if (draw < 0.7) return { kind: 'stop-engine', afterRealMs };
    if (draw < 0.76) return { kind: 'second-engine' };
    if (draw < 0.84) return { kind: 'kill-stand-in', afterRealMs };
    if (draw < 0.88) return { kind: 'drop-connections', afterRealMs };
    if (draw < 0.92) return { kind: 'clock-leaps', byMs: HOUR + whole(20) * HOUR };
    if (draw < 0.97)
      return { kind: 'run-now', workloadId: 1 + whole(WORKLOADS), lane: one(['replica', 'backup', 'copy']) };
    return { kind: 'hold' };
  };
  return Array.from({ length: long ? 6 * legs : legs }, () => ({
    blow: blow(),
    passMs: long ? (4 + whole(20)) * HOUR : (30 + whole(240)) * MINUTE,
  }));
}
