/** A policy's lanes: one kind of copy each, with a cadence, a ladder, a target and a consistency; whom it takes is in selector.ts. */
import { describeCadence, type Cadence } from '@/core/time/cadence';
import type { Ladder } from '@/core/protect/ladder';
import type { Opening } from '@/core/time/window';
import type { DurationMs } from '@/core/units';

export const LANE_KINDS = ['snapshot', 'backup', 'replica', 'copy', 'stream'] as const;
export type LaneKind = (typeof LANE_KINDS)[number];
/**
 * What a point is taken with: nothing asked of the guest; its file systems flushed; or its applications frozen for the
 * instant, file systems included. The last two need the guest agent.
 */
export const CONSISTENCIES = ['crash', 'filesystem', 'application'] as const;
export type Consistency = (typeof CONSISTENCIES)[number];
export const DISK_ROLES = ['system', 'data', 'config', 'scratch'] as const;
export type DiskRole = (typeof DISK_ROLES)[number];

export const COMPRESSIONS = ['none', 'fast', 'strong'] as const;
/** How a lane's bytes go over the line; what lies at a place is not changed by it. */
export interface Sending {
  readonly compression: (typeof COMPRESSIONS)[number];
  readonly encrypted: boolean;
}
/** What a lane without a setting of its own does. */
export const USUAL_SENDING: Sending = { compression: 'fast', encrypted: false };

export const FIRST_COPIES = ['at-once', 'at-night', 'shipped'] as const;
/** How the first full copy gets to its place: over the line at once, over the line at night, or on a disk that is sent. */
export type FirstCopy = (typeof FIRST_COPIES)[number];

export interface Lane {
  /** Stable within the policy, survives edits. */
  readonly key: string;
  readonly kind: LaneKind;
  readonly cadence: Cadence;
  readonly ladder: Ladder;
  readonly consistency: Consistency;
  /** Roles left out of the copy. */
  readonly excludeRoles: readonly DiskRole[];
  /**
   * Where copies go, by id of the workload's site: a repository for a backup or copy, a datastore for a replica or stream. A
   * snapshot stays on the workload's own datastore, so it has none.
   */
  readonly targets: Readonly<Record<string, number>>;
  /** Of a copy: key of the backup lane whose newest point it copies. */
  readonly source?: string;
  /** When its runs may start; absent: at all times. What falls due outside starts at the next opening. */
  readonly opening?: Opening;
  /** What happens when the guest cannot be frozen: the run fails, or takes its point without; absent: it fails. */
  readonly withoutFreeze?: 'fail' | 'go-on';
  /** Absent: USUAL_SENDING. */
  readonly sending?: Sending;
  /** Absent: at once. */
  readonly firstCopy?: FirstCopy;
  /** True: workloads of one application are captured at the same instant. */
  readonly together?: boolean;
}

/** Kinds that write to a datastore of another site; the others write to a repository, a snapshot to its own disks. */
export function placeKindOf(kind: LaneKind): 'datastore' | 'repository' {
  return kind === 'backup' || kind === 'copy' ? 'repository' : 'datastore';
}

/** Lanes that can take workloads together: those that begin with a snapshot. */
export function canCaptureTogether(kind: LaneKind): boolean {
  return kind !== 'copy' && kind !== 'stream';
}

/** How far back the journal of a stream reaches: the span of the ladder's first rung. */
export function journalSpan({ ladder }: Pick<Lane, 'ladder'>): DurationMs {
  return ladder.reading === 'bands' ? (ladder.rungs[0]?.spanMs ?? 0) : 0;
}

/** When a lane runs, in words: of a stream, when it is marked. */
export function describeLaneCadence({ kind, cadence }: Pick<Lane, 'kind' | 'cadence'>): string {
  return kind === 'stream' ? `flows, marked ${describeCadence(cadence)}` : describeCadence(cadence);
}

/**
 * A lane and those that it comes after, the one that is due by itself last. Ends where a name leads nowhere or in a circle.
 */
export function chainOf(lanes: readonly Lane[], lane: Lane): readonly Lane[] {
  const chain = [lane];
  for (let last = lane; last.cadence.kind === 'after';) {
    const { cadence } = last;
    const next = lanes.find((other) => other.key === cadence.lane);
    if (!next || chain.includes(next)) break;
    chain.push(next);
    last = next;
  }
  return chain;
}

/** The cadence that a lane runs by: its own, or that of the lane it comes after. */
export function drivingCadence(lanes: readonly Lane[], lane: Lane): Cadence {
  return (chainOf(lanes, lane).at(-1) as Lane).cadence;
}

/** Lanes that are due when a lane has a new point. */
export function followersOf(lanes: readonly Lane[], key: string): Lane[] {
  return lanes.filter((lane) => lane.cadence.kind === 'after' && lane.cadence.lane === key);
}

const LANE_PARTS = [
  'cadence',
  'ladder',
  'consistency',
  'excludeRoles',
  'targets',
  'source',
  'opening',
  'withoutFreeze',
  'sending',
  'firstCopy',
  'together',
] as const;

/** Lanes that differ between two revisions, by key, with what changed in them. */
export function laneChanges(
  from: readonly Lane[],
  to: readonly Lane[],
): ReadonlyArray<{ readonly key: string; readonly what: readonly string[] }> {
  const before = new Map(from.map((lane) => [lane.key, lane]));
  return to.flatMap((lane) => {
    const old = before.get(lane.key);
    if (!old) return [{ key: lane.key, what: ['new lane'] }];
    const what = LANE_PARTS.filter((part) => JSON.stringify(old[part]) !== JSON.stringify(lane[part]));
    return what.length ? [{ key: lane.key, what }] : [];
  });
}
