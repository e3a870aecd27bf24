/**
 * Which waiting runs may start: each takes a slot of everything it works with, and nothing has more runs than slots. In the
 * order given, so that a run that must wait does not keep others waiting that want something else.
 */

/** What a run takes a slot of, by name. */
export interface Candidate {
  readonly id: number;
  /** One run of a workload at a time. */
  readonly workloadId: number;
  readonly needs: readonly string[];
  /** What it must wait for besides slots; absent: nothing. */
  readonly barredBy?: string;
}

export interface Admission {
  readonly admitted: readonly number[];
  /** By run: what it waits for. */
  readonly waiting: ReadonlyMap<number, string>;
}

/**
 * @param candidates the most urgent first
 * @param free slots that are free now, by name; a name that is not there has no limit
 * @param busy workloads that have a run already
 *
 * O(candidates x needs)
 */
export function admit(
  candidates: readonly Candidate[],
  free: ReadonlyMap<string, number>,
  busy: ReadonlySet<number>,
  most: number,
): Admission {
  const left = new Map(free);
  const taken = new Set(busy);
  const admitted: number[] = [];
  const waiting = new Map<number, string>();
  for (const { id, workloadId, needs, barredBy } of candidates) {
    if (barredBy !== undefined) {
      waiting.set(id, barredBy);
      continue;
    }
    if (taken.has(workloadId)) {
      waiting.set(id, 'another run of the workload');
      continue;
    }
    const full = needs.find((name) => (left.get(name) ?? 1) <= 0);
    if (full !== undefined) {
      waiting.set(id, `a slot of ${full}`);
      continue;
    }
    if (admitted.length >= most) break;
    for (const name of needs) {
      const slots = left.get(name);
      if (slots !== undefined) left.set(name, slots - 1);
    }
    taken.add(workloadId);
    admitted.push(id);
  }
  return { admitted, waiting };
}
