/**
 * Max-min fair rates by progressive filling (Bertsekas & Gallager, Data Networks, 6.5.2, from memory): all unfixed
 * flows rise together in proportion to their weights until a resource is full or a flow has all it asked for; what is
 * full fixes its flows.
 */

export interface Flow {
  /** Resources it uses, by name; each at most once. */
  readonly over: readonly string[];
  /** Most it can use; Infinity or absent: no limit of its own. */
  readonly demand?: number;
  /** Share relative to others, > 0; 1 if absent. */
  readonly weight?: number;
}

/**
 * Rates in the order of `flows`, in the unit of `capacity`. A resource without a capacity is unlimited; a flow without
 * any limit gets Infinity. A flow's rate is its weight times one common level until it is fixed, so only the resources
 * and the nearest demand are looked at in a round. O(resources^2 + flows x (resources of one + log flows)).
 */
export function fairShares(flows: readonly Flow[], capacity: ReadonlyMap<string, number>): number[] {
  const names = [...capacity.keys()];
  const index = new Map(names.map((name, r) => [name, r]));
  const left = Float64Array.from(names, (name) => Math.max(0, capacity.get(name) as number));
  const weightOver = new Float64Array(names.length);
  const users: number[][] = names.map(() => []);
  const over = flows.map((flow, f) => {
    const found: number[] = [];
    for (const name of flow.over) {
      const r = index.get(name);
      if (r === undefined) continue;
      found.push(r);
      (users[r] as number[]).push(f);
      weightOver[r] = (weightOver[r] as number) + (flow.weight ?? 1);
    }
    return found;
  });
  const levelOf = (f: number): number => (flows[f]?.demand ?? Infinity) / (flows[f]?.weight ?? 1);
  const byDemand = flows.map((_, f) => f).filter((f) => levelOf(f) < Infinity);
  byDemand.sort((a, b) => levelOf(a) - levelOf(b));
  const rate = new Array<number>(flows.length).fill(Infinity);
  const fixed = new Uint8Array(flows.length);
  const fix = (f: number, level: number): void => {
    if (fixed[f]) return;
    fixed[f] = 1;
    rate[f] = level * (flows[f]?.weight ?? 1);
    for (const r of over[f] as readonly number[]) weightOver[r] = (weightOver[r] as number) - (flows[f]?.weight ?? 1);
  };
  let level = 0;
  for (let d = 0; ;) {
    while (d < byDemand.length && fixed[byDemand[d] as number]) d++;
    const nextDemand = d < byDemand.length ? levelOf(byDemand[d] as number) : Infinity;
    let tightest = -1;
    let at = nextDemand;
    for (let r = 0; r < names.length; r++) {
      if ((weightOver[r] as number) <= TINY) continue;
      const full = level + (left[r] as number) / (weightOver[r] as number);
      if (full < at) [at, tightest] = [full, r];
    }
    if (at === Infinity) return rate;
    for (let r = 0; r < names.length; r++)
      if ((weightOver[r] as number) > TINY)
        left[r] = Math.max(0, (left[r] as number) - (at - level) * (weightOver[r] as number));
    level = at;
    if (tightest < 0) fix(byDemand[d] as number, level);
    else {
      for (const f of users[tightest] as readonly number[]) fix(f, level);
      weightOver[tightest] = 0;
    }
  }
}

/** Weights sum up to this or less when only rounding is left of them. */
const TINY = 1e-9;
