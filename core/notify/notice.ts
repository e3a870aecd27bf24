/**
 * Who is told of what: one notice a cause and route, when it began, when it got worse, when it ended, and again to others
 * when nobody has taken it up. Only what is over is told unless a route asks for more.
 */
import { isOpen, nextOpen, type Window } from '@/core/time/window';
import { assertNever, MINUTE, type DurationMs, type EpochMs } from '@/core/units';

export const LEVELS = ['over', 'closing', 'all'] as const;
/** From which state on a route is told. */
export type Level = (typeof LEVELS)[number];
export type CauseState = 'over' | 'closing' | 'inside';
export type NoticeReason = 'began' | 'worse' | 'ended' | 'escalated';

/** A cause that is open, or ended since the last look. */
export interface KnownCause {
  readonly id: number;
  readonly state: CauseState;
  readonly fromMs: EpochMs;
  /** Since when it is over, or was; null: it never was. */
  readonly overMs: EpochMs | null;
  readonly toMs: EpochMs | null;
  /** Somebody said that they see to it. */
  readonly taken: boolean;
}
export interface Route {
  readonly id: number;
  readonly level: Level;
  /** Notices wait while it is quiet. */
  readonly quiet: Window | null;
  /** Told only of causes that nobody took up for this long; null: told at once. */
  readonly escalateAfterMs: DurationMs | null;
  /** Notices are gathered and go together at the end of each such stretch since 1970; 0: at once. */
  readonly gatherMs: DurationMs;
}
export interface PlannedNotice {
  readonly routeId: number;
  readonly causeId: number;
  readonly reason: NoticeReason;
  /** Not to be sent before. */
  readonly notBeforeMs: EpochMs;
}

/** What was planned so far, by `noticeKey`, and when it was sent; null: it waits still. */
export type PlannedSoFar = ReadonlyMap<string, EpochMs | null>;

/**
 * Notices that are due at `nowMs` and were not planned before.
 *
 * O(causes x routes)
 */
export function dueNotices(
  causes: readonly KnownCause[],
  routes: readonly Route[],
  planned: PlannedSoFar,
  nowMs: EpochMs,
): PlannedNotice[] {
  const found: PlannedNotice[] = [];
  for (const route of routes)
    for (const cause of causes) {
      const sent = (reason: NoticeReason): EpochMs | null | undefined =>
        planned.get(noticeKey(route.id, cause.id, reason));
      const reason = reasonFor(cause, route, sent, nowMs);
      if (reason && sent(reason) === undefined)
        found.push({
          routeId: route.id,
          causeId: cause.id,
          reason,
          notBeforeMs: afterQuiet(route.quiet, gathered(route.gatherMs, nowMs)),
        });
    }
  return found;
}

export const noticeKey = (routeId: number, causeId: number, reason: NoticeReason): string =>
  `${routeId}/${causeId}/${reason}`;

/** A cause counts as over once it has been away for this long; until then it may come back as the same one. */
export const SETTLED_MS: DurationMs = 30 * MINUTE;

function reasonFor(
  cause: KnownCause,
  route: Route,
  /** When a notice was sent; null: it waits still; undefined: it was not planned. */
  sent: (reason: NoticeReason) => EpochMs | null | undefined,
  nowMs: EpochMs,
): NoticeReason | null {
  const was = (reason: NoticeReason): boolean => sent(reason) !== undefined;
  const told = was('began') || was('worse') || was('escalated');
  if (cause.toMs !== null) return told && nowMs - cause.toMs >= SETTLED_MS ? 'ended' : null;
  if (!matters(cause.state, route.level)) return null;
  if (route.escalateAfterMs !== null)
    return !cause.taken && nowMs - cause.fromMs >= route.escalateAfterMs ? 'escalated' : null;
  if (!told) return 'began';
  // One that waits still will say how it is when it goes out.
  const heardMs = sent('began') ?? Infinity;
  if (route.level === 'over' || cause.state !== 'over' || was('worse')) return null;
  return (cause.overMs ?? cause.fromMs) > heardMs ? 'worse' : null;
}

function matters(state: CauseState, level: Level): boolean {
  switch (level) {
    case 'over':
      return state === 'over';
    case 'closing':
      return state !== 'inside';
    case 'all':
      return true;
    default:
      return assertNever(level);
  }
}

const gathered = (everyMs: DurationMs, nowMs: EpochMs): EpochMs =>
  everyMs > 0 ? Math.ceil(nowMs / everyMs) * everyMs : nowMs;

/** The instant itself, or the end of the quiet hours that it lies in. */
function afterQuiet(quiet: Window | null, nowMs: EpochMs): EpochMs {
  const opening = { windows: [], blackouts: quiet ? [quiet] : [] };
  return isOpen(opening, nowMs) ? nowMs : (nextOpen(opening, nowMs) ?? nowMs);
}
