/**
 * What piles up where data comes faster than it leaves: bounds from arrival and service curves (Le Boudec & Thiran,
 * Network Calculus, 1.4, from memory), and the exact backlog of a day's write profile. Any units, the same throughout.
 */

/** At most `burst + rate * t` arrives in any stretch of t. */
export interface TokenBucket {
  readonly burst: number;
  readonly rate: number;
}
/** At least `rate * (t - latency)` is served. */
export interface RateLatency {
  readonly rate: number;
  readonly latency: number;
}
export interface Bounds {
  /** Most that waits at one time. */
  readonly backlog: number;
  /** Longest that any bit waits. */
  readonly delay: number;
}

/**
 * Bounds for an arrival limited by all of several buckets: the greatest vertical and horizontal distance of the curves,
 * which lie at the knees. Infinite if more comes in the long run than is served. O(buckets^2).
 */
export function bounds(buckets: readonly TokenBucket[], service: RateLatency): Bounds {
  if (Math.min(...buckets.map((b) => b.rate)) > service.rate) return { backlog: Infinity, delay: Infinity };
  const arrival = (t: number): number => Math.min(...buckets.map((b) => b.burst + b.rate * t));
  const times = [0, service.latency, ...knees(buckets)];
  const backlog = Math.max(...times.map((t) => arrival(t) - service.rate * Math.max(0, t - service.latency)));
  const delay = Math.max(...times.map((t) => service.latency + arrival(t) / service.rate - t));
  return { backlog, delay };
}

/** Instants at which another bucket becomes the tightest. */
export function knees(buckets: readonly TokenBucket[]): number[] {
  return buckets.flatMap((a, i) =>
    buckets.slice(i + 1).flatMap((b) => {
      const t = (b.burst - a.burst) / (a.rate - b.rate);
      return Number.isFinite(t) && t > 0 ? [t] : [];
    }),
  );
}

/** Two servers in a row as one: the slower rate, both latencies ("pay bursts only once"). */
export function inRow(first: RateLatency, second: RateLatency): RateLatency {
  return { rate: Math.min(first.rate, second.rate), latency: first.latency + second.latency };
}

/** What leaves a server is limited by this bucket. */
export function output(arrival: TokenBucket, service: RateLatency): TokenBucket {
  return { burst: arrival.burst + arrival.rate * service.latency, rate: arrival.rate };
}

export interface ProfileBacklog {
  /** Most that waits, in the unit of the profile, and the hour at which it does. */
  readonly most: number;
  readonly mostAtHour: number;
  /** Longest wait, first in first out, in hours. */
  readonly longestDelay: number;
  /** What waits at the end of each day. */
  readonly atDayEnd: readonly number[];
  /** Hour, counted from the beginning, at which what waited at its height was gone; null if it never is. */
  readonly emptyAtHour: number | null;
}

/**
 * Backlog of a write profile, amount an hour, constant inside each hour and repeated every profile, against a line that
 * takes `capacity` an hour. Exact at the knees, which are the hours. O(hours x days).
 */
export function profileBacklog(profile: readonly number[], capacity: number, days: number): ProfileBacklog {
  let waiting = 0;
  let most = 0;
  let mostAtHour = 0;
  let emptyAtHour: number | null = 0;
  const atDayEnd: number[] = [];
  for (let hour = 0; hour < profile.length * days; hour++) {
    const change = (profile[hour % profile.length] as number) - capacity;
    const after = waiting + change;
    if (after <= 0 && waiting > 0 && emptyAtHour === null) emptyAtHour = hour + waiting / -change;
    waiting = Math.max(0, after);
    if (waiting > most) {
      most = waiting;
      mostAtHour = hour + 1;
      emptyAtHour = null;
    }
    if ((hour + 1) % profile.length === 0) atDayEnd.push(waiting);
  }
  return { most, mostAtHour, longestDelay: most / capacity, atDayEnd, emptyAtHour };
}

/**
 * Smallest capacity an hour with which a buffer suffices for ever: over every stretch of hours the profile brings at
 * most buffer + capacity x hours; never below the mean. O(hours^2), exact.
 */
export function capacityForBuffer(profile: readonly number[], buffer: number): number {
  const n = profile.length;
  let least = profile.reduce((sum, amount) => sum + amount, 0) / n;
  for (let from = 0; from < n; from++) {
    let sum = 0;
    for (let length = 1; length <= 2 * n; length++) {
      sum += profile[(from + length - 1) % n] as number;
      least = Math.max(least, (sum - buffer) / length);
    }
  }
  return least;
}
