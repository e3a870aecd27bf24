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
 * any limit gets Infinity. O(rounds x flows x resources), rounds <= flows.
 */
export function fairShares(flows: readonly Flow[], capacity: ReadonlyMap<string, number>): number[] {
  const rate = new Array<number>(flows.length).fill(0);
  const left = new Map(capacity);
  let open = flows.map((_, i) => i);
  while (open.length > 0) {
    const weight = new Map<string, number>();
    for (const i of open) {
      const flow = flows[i] as Flow;
      for (const name of flow.over) if (left.has(name)) weight.set(name, (weight.get(name) ?? 0) + (flow.weight ?? 1));
    }
    let step = Infinity;
    for (const [name, sum] of weight) step = Math.min(step, Math.max(0, left.get(name) as number) / sum);
    for (const i of open)
      step = Math.min(step, ((flows[i]?.demand ?? Infinity) - (rate[i] as number)) / (flows[i]?.weight ?? 1));
    if (step === Infinity) {
      for (const i of open) rate[i] = Infinity;
      break;
    }
    for (const i of open) rate[i] = (rate[i] as number) + step * (flows[i]?.weight ?? 1);
    for (const [name, sum] of weight) left.set(name, (left.get(name) as number) - step * sum);
    open = open.filter((i) => !isFixed(flows[i] as Flow, rate[i] as number, left, capacity));
  }
  return rate;
}

function isFixed(flow: Flow, rate: number, left: Map<string, number>, capacity: ReadonlyMap<string, number>): boolean {
  if (rate >= (flow.demand ?? Infinity) * (1 - 1e-12)) return true;
  return flow.over.some(
    (name) => left.has(name) && (left.get(name) as number) <= (capacity.get(name) as number) * 1e-12,
  );
}
