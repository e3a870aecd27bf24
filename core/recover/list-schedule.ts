/**
 * Activities that wait for each other and for one of a number of equal slots: list scheduling (Graham 1966 and 1969, from
 * memory). Whenever a slot is free, the first ready activity of the list takes it. Never worse than 2 - 1/m of the best.
 */
import type { Activity } from '@/core/recover/activity-network';

export interface Scheduled {
  readonly id: string;
  readonly start: number;
  readonly finish: number;
}
export type Schedule =
  | { readonly kind: 'scheduled'; readonly duration: number; readonly activities: readonly Scheduled[] }
  /** These wait for each other, or for something that is not in the list. */
  | { readonly kind: 'stuck'; readonly ids: readonly string[] };

/** Schedules activities in the order of the list on `slots` slots. O(n^2) at worst, n log n where few wait. */
export function listSchedule(list: readonly Activity[], slots: number): Schedule {
  if (!(slots >= 1)) throw new RangeError('There must be at least one slot.');
  const waiting = new Map(list.map((activity) => [activity.id, new Set(activity.after)]));
  let pending = [...list];
  let running: Scheduled[] = [];
  const done: Scheduled[] = [];
  let now = 0;
  while (pending.length || running.length) {
    const ready = pending.filter((activity) => waiting.get(activity.id)?.size === 0).slice(0, slots - running.length);
    for (const { id, duration } of ready) running.push({ id, start: now, finish: now + duration });
    const taken = new Set(ready.map((activity) => activity.id));
    pending = pending.filter((activity) => !taken.has(activity.id));
    if (!running.length) return { kind: 'stuck', ids: pending.map((activity) => activity.id) };
    now = Math.min(...running.map((activity) => activity.finish));
    const ended = running.filter((activity) => activity.finish <= now);
    running = running.filter((activity) => activity.finish > now);
    done.push(...ended);
    for (const { id } of ended) for (const others of waiting.values()) others.delete(id);
  }
  return { kind: 'scheduled', duration: Math.max(0, ...done.map((a) => a.finish)), activities: done };
}

/** The longest first: at most 4/3 - 1/(3m) of the best where nothing waits for anything (Graham 1969). */
export function longestFirst(list: readonly Activity[]): Activity[] {
  return list.toSorted((a, b) => b.duration - a.duration);
}

/** No schedule is shorter: all work spread evenly, or the longest chain. */
export function scheduleBound(list: readonly Activity[], slots: number): number {
  const byId = new Map(list.map((activity) => [activity.id, activity]));
  const known = new Map<string, number>();
  const finish = (id: string): number => {
    const at = known.get(id);
    if (at !== undefined) return at;
    const { duration, after } = byId.get(id) as Activity;
    const end = duration + Math.max(0, ...after.map(finish));
    known.set(id, end);
    return end;
  };
  const work = list.reduce((sum, activity) => sum + activity.duration, 0);
  return Math.max(work / slots, 0, ...list.map((activity) => finish(activity.id)));
}
