/**
 * Causes that need a person, as words: many effects fold into one. Shown in attention and told by notices, so both say the
 * same. A state is that of the worst workload it holds.
 */
import { CRITICAL_SHARE } from '@/core/forecast/space';
import { groupBy } from '@/core/group-by';
import { causeKey, titleOf } from '@/core/protect/cause';
import type { CauseState } from '@/core/notify/notice';
import { counted, named } from '@/core/words';
import { DAY, type EpochMs } from '@/core/units';

export interface OpenCause {
  /** The same from look to look while it lasts. */
  readonly key: string;
  readonly title: string;
  readonly state: CauseState;
  readonly workloads: number;
  readonly effect: string;
}

export interface FailingLane {
  readonly code: string;
  readonly subject: string;
  readonly workloadId: number;
  readonly isOver: boolean;
}

/** Lanes that fail, one cause for each code and subject. */
export function failureCauses(lanes: readonly FailingLane[]): OpenCause[] {
  return [...groupBy(lanes, ({ code, subject }) => causeKey(code, subject))].map(([key, list]) => {
    const [{ code, subject }] = list as [FailingLane];
    const workloads = new Set(list.map((lane) => lane.workloadId)).size;
    const over = new Set(list.filter((lane) => lane.isOver).map((lane) => lane.workloadId)).size;
    return {
      key,
      title: titleOf(code, subject),
      state: over ? 'over' : 'inside',
      workloads,
      effect: `${counted(workloads, 'workload')} affected, ${over ? `${over} over` : 'all inside so far'}.`,
    };
  });
}

/** A workload that is over or closing though none of its runs failed. */
export interface LateWorkload {
  readonly id: number;
  readonly name: string;
  readonly standing: 'over' | 'closing';
}
/** What holds runs up. */
export interface HoldUp {
  readonly title: string;
  readonly words: string;
}
export type LateCause = OpenCause & { readonly state: 'over' | 'closing'; readonly workloadIds: readonly number[] };

/** Late workloads: one cause for each thing that holds some of them up, and one for the others; over and closing apart. */
export function lateCauses(list: readonly LateWorkload[], holdUps: ReadonlyMap<number, HoldUp>): LateCause[] {
  const groups = groupBy(list, (w) => `late-${w.standing}/${holdUps.get(w.id)?.title ?? ''}`);
  return [...groups].map(([key, some]) => {
    const [{ id, standing }] = some as [LateWorkload];
    const holdUp = holdUps.get(id);
    const usual = standing === 'over' ? 'Points come later than the RPO allows' : 'The next points will come too late';
    return {
      key: holdUp ? key : `late-${standing}`,
      title: holdUp?.title ?? usual,
      state: standing,
      workloads: some.length,
      effect: `${named(some.map((w) => w.name))}: ${holdUp?.words ?? 'no run has failed; their lanes are too slow or too far apart.'}`,
      workloadIds: some.map((w) => w.id),
    };
  });
}

/** A place that holds copies, as it stands and grows. */
export interface FillingPlace {
  readonly kind: 'repository' | 'datastore';
  readonly name: string;
  readonly capacityBytes: number;
  /** null: never read. */
  readonly usedBytes: number | null;
  /** null: no trend yet. */
  readonly bytesPerDay: number | null;
  readonly fullMs: EpochMs | null;
}

/** A place is worth a word when it is this full, or will be full this soon; and is urgent when it will be sooner still. */
const LOW_SHARE = 0.9;
const SOON_MS = 30 * DAY;
const URGENT_MS = 7 * DAY;

export const shareUsed = (p: FillingPlace): number => (p.usedBytes ?? 0) / p.capacityBytes;

/** What to say of a place that runs out of space; null while there is room. */
export function spaceCause(p: FillingPlace, atMs: EpochMs): OpenCause | null {
  const share = shareUsed(p);
  const leftMs = p.fullMs === null ? Infinity : p.fullMs - atMs;
  if (share < LOW_SHARE && leftMs >= SOON_MS) return null;
  const growth = p.bytesPerDay === null ? '' : `${(p.bytesPerDay / 1e9).toFixed(1)} GB a day`;
  const when =
    p.fullMs === null
      ? 'It does not grow at present.'
      : `At ${growth} it is full in ${counted(Math.max(1, Math.round(leftMs / DAY)), 'day')}, on ${dateOf(p.fullMs)}; then new points fail.`;
  const critical = share >= CRITICAL_SHARE && p.kind === 'repository';
  return {
    key: `space/${p.name}`,
    title: `${p.kind === 'repository' ? 'Repository' : 'Datastore'} ${p.name} is running out of space`,
    state: critical || leftMs < URGENT_MS ? 'closing' : 'inside',
    workloads: 0,
    effect: `${when}${critical ? ' It takes no first copies.' : ''} Add capacity, or shorten a ladder that writes to it.`,
  };
}

const DATE = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' });
const dateOf = (atMs: EpochMs): string => DATE.format(atMs);

/** Points of a place that count no more. */
export interface BadPoints {
  readonly place: string;
  readonly cause: 'rotten' | 'missing';
  readonly points: number;
  readonly workloads: number;
}

export function badPointsCause({ place, cause, points, workloads }: BadPoints): OpenCause {
  const rotten = cause === 'rotten';
  return {
    key: `bad/${cause}/${place}`,
    title: `${counted(points, 'point')} at ${place} ${rotten ? 'read back wrong' : points === 1 ? 'is not there' : 'are not there'}`,
    state: 'over',
    workloads,
    effect: rotten
      ? 'They are not counted any more. A good copy elsewhere repairs them by itself; without one, take new points and look at the storage.'
      : 'They are not counted any more. Find out who deletes there; the next runs take new points.',
  };
}

/** Copies at a place that nobody here made. */
export function strangersCause(place: string, copies: number): OpenCause {
  return {
    key: `found/${place}`,
    title: `${counted(copies, 'copy', 'copies')} at ${place} ${copies === 1 ? 'belongs' : 'belong'} to nothing here`,
    state: 'inside',
    workloads: 0,
    effect: 'They take space and nobody counts on them. Look at the reconciliation before anything is deleted.',
  };
}

/** Snapshots that stayed on working disks, and why. */
export function leftSnapshotsCause(snapshots: number, workloads: number, detail: string): OpenCause {
  return {
    key: 'left-snapshots',
    title: `${counted(snapshots, 'snapshot')} cannot be removed`,
    state: 'inside',
    workloads,
    effect: `${detail} Its removal is tried again every hour; working disks grow until then.`,
  };
}

/** What a site says of itself that fails nothing yet. */
export function siteCause(site: string, state: 'default-password' | 'wrong-clock'): OpenCause {
  const password = state === 'default-password';
  return {
    key: `${password ? 'password' : 'clock'}/${site}`,
    title: password ? `${site} still has the password it came with` : `The clock of ${site} is wrong`,
    state: password ? 'inside' : 'closing',
    workloads: 0,
    effect: password
      ? 'Whoever reads its manual can delete copies there. Set a password of your own at the site controller.'
      : 'Its runs are refused, since the age of their points could not be trusted. Set the time source of the controller.',
  };
}
