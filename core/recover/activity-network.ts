/**
 * Activity network of a runbook: earliest and latest times, slack and critical path (critical path method; Hillier &
 * Lieberman, Introduction to Operations Research, from memory).
 */

export interface Activity {
  readonly id: string;
  /** How long it takes; any one unit for the whole network, >= 0. */
  readonly duration: number;
  readonly after: readonly string[];
}

export interface Timing {
  readonly id: string;
  readonly earliestStart: number;
  readonly earliestFinish: number;
  readonly latestStart: number;
  readonly latestFinish: number;
  /** How much later it may start without delaying the whole. */
  readonly slack: number;
  /** How much later it may finish without delaying a successor. */
  readonly freeSlack: number;
  readonly critical: boolean;
}

export type Network =
  | {
      readonly kind: 'timed';
      readonly duration: number;
      readonly timings: readonly Timing[];
      readonly criticalPath: readonly string[];
    }
  | { readonly kind: 'cycle'; readonly ids: readonly string[] }
  | { readonly kind: 'unknown-predecessor'; readonly id: string; readonly after: string };

/** Times a network in the order of `activities`. O(activities + edges). */
export function timeNetwork(activities: readonly Activity[]): Network {
  const byId = new Map(activities.map((activity) => [activity.id, activity]));
  for (const activity of activities)
    for (const after of activity.after)
      if (!byId.has(after)) return { kind: 'unknown-predecessor', id: activity.id, after };
  const order = topologicalOrder(activities);
  if (order.length < activities.length) {
    const sorted = new Set(order.map((activity) => activity.id));
    return { kind: 'cycle', ids: activities.filter((a) => !sorted.has(a.id)).map((a) => a.id) };
  }
  const finish = new Map<string, number>();
  const start = new Map<string, number>();
  for (const { id, duration, after } of order) {
    const begin = Math.max(0, ...after.map((p) => finish.get(p) as number));
    start.set(id, begin);
    finish.set(id, begin + duration);
  }
  const total = Math.max(0, ...finish.values());
  const latestFinish = new Map<string, number>();
  const nextStart = new Map<string, number>();
  for (const { id, duration, after } of [...order].reverse()) {
    const latest = latestFinish.get(id) ?? total;
    latestFinish.set(id, latest);
    for (const p of after) {
      latestFinish.set(p, Math.min(latestFinish.get(p) ?? total, latest - duration));
      nextStart.set(p, Math.min(nextStart.get(p) ?? Infinity, start.get(id) as number));
    }
  }
  const timings = activities.map(({ id, duration }): Timing => {
    const earliestStart = start.get(id) as number;
    const late = latestFinish.get(id) as number;
    const slack = late - duration - earliestStart;
    return {
      id,
      earliestStart,
      earliestFinish: earliestStart + duration,
      latestStart: late - duration,
      latestFinish: late,
      slack,
      freeSlack: Math.min(nextStart.get(id) ?? total, total) - earliestStart - duration,
      critical: slack <= 1e-9,
    };
  });
  return { kind: 'timed', duration: total, timings, criticalPath: criticalPathOf(activities, timings, total) };
}

function topologicalOrder(activities: readonly Activity[]): Activity[] {
  const waiting = new Map(activities.map((activity) => [activity.id, activity.after.length]));
  const next = new Map<string, Activity[]>();
  for (const activity of activities) for (const p of activity.after) next.set(p, [...(next.get(p) ?? []), activity]);
  const ready = activities.filter((activity) => activity.after.length === 0);
  const order: Activity[] = [];
  for (let activity = ready.shift(); activity; activity = ready.shift()) {
    order.push(activity);
    for (const follower of next.get(activity.id) ?? []) {
      const left = (waiting.get(follower.id) as number) - 1;
      waiting.set(follower.id, left);
      if (left === 0) ready.push(follower);
    }
  }
  return order;
}

/** One critical path, from a start to the end; of several the first in the order of `activities`. */
function criticalPathOf(activities: readonly Activity[], timings: readonly Timing[], total: number): string[] {
  const byId = new Map(timings.map((timing) => [timing.id, timing]));
  const path: string[] = [];
  let current = timings.find((t) => t.critical && Math.abs(t.earliestFinish - total) < 1e-9);
  while (current) {
    path.unshift(current.id);
    const here: Timing = current;
    const before = activities.find((a) => a.id === here.id)?.after ?? [];
    current = before
      .map((id) => byId.get(id) as Timing)
      .find((t) => t.critical && Math.abs(t.earliestFinish - here.earliestStart) < 1e-9);
  }
  return path;
}
