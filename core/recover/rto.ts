/**
 * How long a runbook would take, as a distribution: its network played through many times with durations drawn from what
 * was measured. Seeded, so that the same facts give the same answer.
 */
import { normal, seededRandom } from '@/core/random';
import { quantileOfSorted } from '@/core/prove/statistics';
import type { DurationMs } from '@/core/units';

export interface RtoMember {
  readonly id: string;
  readonly after: readonly string[];
  /** Durations measured in drills or for real, in ms; at least one, an estimate where nothing was measured. */
  readonly measuredMs: readonly DurationMs[];
}

export interface RtoDistribution {
  readonly runs: number;
  readonly meanMs: number;
  readonly p50Ms: DurationMs;
  readonly p90Ms: DurationMs;
  readonly p95Ms: DurationMs;
  /** Share of runs that met the RTO. */
  readonly chance: number;
  /** By member: share of runs in which it was on the longest chain. */
  readonly critical: ReadonlyMap<string, number>;
}

/**
 * Spread of a duration that was measured once, as the standard deviation of its logarithm; it falls with the root of the
 * number of measurements. Common practice, no source: few measurements must not look like certainty.
 */
export const SPREAD = 0.3;

/** A network in the order in which it can be walked, with plain arrays: what is walked ten thousand times. */
interface Compiled {
  readonly ids: readonly string[];
  readonly before: ReadonlyArray<readonly number[]>;
  readonly samples: ReadonlyArray<Float64Array>;
}

/** Thrown where members wait for each other or for nobody; readiness says so in words before. */
export class NoOrder extends Error {
  readonly code = 'no-order';
  override readonly name = 'NoOrder';
  constructor(readonly ids: readonly string[]) {
    super(`These members have no order: ${ids.join(', ')}.`);
  }
}

/**
 * Plays a network `runs` times.
 *
 * @param slots how many members can start at one time; Infinity: no limit
 * O(runs x (members + edges)), with slots times log slots.
 */
export function simulateRto(
  members: readonly RtoMember[],
  rtoMs: DurationMs,
  { runs, seed, slots = Infinity }: { readonly runs: number; readonly seed: number; readonly slots?: number },
): RtoDistribution {
  const network = compile(members);
  const random = seededRandom(seed);
  const totals = new Float64Array(runs);
  const critical = new Float64Array(network.ids.length);
  const finish = new Float64Array(network.ids.length);
  const cause = new Int32Array(network.ids.length);
  let met = 0;
  for (let run = 0; run < runs; run++) {
    const last = playOnce(network, random, finish, cause, slots);
    const total = last < 0 ? 0 : (finish[last] as number);
    totals[run] = total;
    if (total <= rtoMs) met++;
    for (let at = last; at >= 0; at = cause[at] as number) critical[at] = (critical[at] as number) + 1;
  }
  const sum = totals.reduce((a, b) => a + b, 0);
  totals.sort();
  const at = (p: number): number => Math.round(quantileOfSorted(totals, p));
  return {
    runs,
    meanMs: sum / runs,
    p50Ms: at(0.5),
    p90Ms: at(0.9),
    p95Ms: at(0.95),
    chance: met / runs,
    critical: new Map(network.ids.map((id, i) => [id, (critical[i] as number) / runs])),
  };
}

/** Fills finish times and what each member waited for last; returns the member that ends last. */
function playOnce(
  { before, samples }: Compiled,
  random: () => number,
  finish: Float64Array,
  cause: Int32Array,
  slots: number,
): number {
  let last = -1;
  const busy = slots < before.length ? new Slots(slots) : null;
  for (let i = 0; i < before.length; i++) {
    let start = 0;
    let waitedFor = -1;
    for (const p of before[i] as readonly number[])
      if ((finish[p] as number) > start) {
        start = finish[p] as number;
        waitedFor = p;
      }
    const slot = busy?.take();
    if (slot && slot.freeAt > start) {
      start = slot.freeAt;
      waitedFor = slot.by;
    }
    const end = start + draw(samples[i] as Float64Array, random);
    busy?.give(end, i);
    finish[i] = end;
    cause[i] = waitedFor;
    if (last < 0 || end > (finish[last] as number)) last = i;
  }
  return last;
}

/** When each slot is free again; they are few, so the soonest is looked for. */
class Slots {
  private readonly free: Array<{ freeAt: number; by: number }>;
  constructor(slots: number) {
    this.free = Array.from({ length: slots }, () => ({ freeAt: 0, by: -1 }));
  }
  take(): { freeAt: number; by: number } {
    let best = 0;
    for (let i = 1; i < this.free.length; i++)
      if ((this.free[i] as { freeAt: number }).freeAt < (this.free[best] as { freeAt: number }).freeAt) best = i;
    return this.free.splice(best, 1)[0] as { freeAt: number; by: number };
  }
  give(freeAt: number, by: number): void {
    this.free.push({ freeAt, by });
  }
}

/** A duration like those measured: a point of their quantile function, spread the more the fewer they are. */
function draw(sorted: Float64Array, random: () => number): number {
  const n = sorted.length;
  const base = n === 1 ? (sorted[0] as number) : quantileOfSorted(sorted, random());
  return base * Math.exp((SPREAD / Math.sqrt(n)) * normal(random));
}

function compile(members: readonly RtoMember[]): Compiled {
  const waiting = new Map(members.map((m) => [m.id, m.after.length]));
  const followers = new Map<string, RtoMember[]>();
  for (const member of members)
    for (const before of member.after) {
      const list = followers.get(before);
      if (list) list.push(member);
      else followers.set(before, [member]);
    }
  const order = members.filter((m) => m.after.length === 0);
  for (let i = 0; i < order.length; i++)
    for (const follower of followers.get((order[i] as RtoMember).id) ?? []) {
      const left = (waiting.get(follower.id) as number) - 1;
      waiting.set(follower.id, left);
      if (left === 0) order.push(follower);
    }
  if (order.length < members.length) {
    const sorted = new Set(order);
    throw new NoOrder(members.filter((m) => !sorted.has(m)).map((m) => m.id));
  }
  const index = new Map(order.map((m, i) => [m.id, i]));
  return {
    ids: order.map((m) => m.id),
    before: order.map((m) => m.after.map((id) => index.get(id) as number)),
    samples: order.map((m) => Float64Array.from(m.measuredMs).sort()),
  };
}
