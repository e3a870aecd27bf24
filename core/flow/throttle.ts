/** Throttles of a link: at certain hours of the week it may carry at most so much. */
import { openSpans, type Window } from '@/core/time/window';
import type { EpochMs } from '@/core/units';

export interface Throttle {
  readonly when: Extract<Window, { kind: 'weekly' }>;
  /** Bits a second. */
  readonly rateBps: number;
}

/** Bits a second that a link of `rateBps` may carry at an instant: the least of its rate and the throttles in force. */
export function throttledRate(rateBps: number, throttles: readonly Throttle[], atMs: EpochMs): number {
  const inForce = throttles.filter((throttle) => inside(throttle, atMs));
  return Math.min(rateBps, ...inForce.map((throttle) => throttle.rateBps));
}

/** First instant after `atMs`, and not after `untilMs`, at which a throttle begins or ends; null: there is none. */
export function nextThrottleTurn(throttles: readonly Throttle[], atMs: EpochMs, untilMs: EpochMs): EpochMs | null {
  const turns = throttles
    .flatMap(({ when }) => openSpans({ windows: [when], blackouts: [] }, atMs, untilMs + 1))
    .flatMap(({ fromMs, toMs }) => [fromMs, toMs])
    .filter((turn) => turn > atMs && turn <= untilMs);
  return turns.length ? Math.min(...turns) : null;
}

const inside = ({ when }: Throttle, atMs: EpochMs): boolean =>
  openSpans({ windows: [when], blackouts: [] }, atMs, atMs + 1).length > 0;
