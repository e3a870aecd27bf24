/**
 * Enrolment: which policy takes which workload, by rules that are asked in order; what is taken twice, what by nobody;
 * and which disks of a workload are in no lane.
 */
import { matches, type Selector, type Subject } from '@/core/protect/selector';
import type { DiskRole } from '@/core/protect/policy';

export interface RuleFact {
  readonly id: number;
  readonly policyId: number;
  readonly selector: Selector;
  /** Lower is asked first; of equals the lower id. */
  readonly rank: number;
}

/** What became of a workload. `others`: rules that would have taken it too, for other policies. */
export type Enrolled =
  | {
      readonly kind: 'enrolled';
      readonly ruleId: number;
      readonly policyId: number;
      readonly others: readonly number[];
    }
  | { readonly kind: 'conflict'; readonly ruleIds: readonly number[]; readonly policyIds: readonly number[] }
  | { readonly kind: 'nowhere' };

/**
 * The policy of each workload: of the rules that mean it the one of the lowest rank. Two of the same rank for different
 * policies are a conflict that a person must solve: nothing is guessed. O(workloads x rules).
 */
export function enrol(workloads: readonly Subject[], rules: readonly RuleFact[]): Enrolled[] {
  const ordered = rules.toSorted((a, b) => a.rank - b.rank || a.id - b.id);
  return workloads.map((workload) => {
    const meant = ordered.filter((rule) => matches(rule.selector, workload));
    const first = meant[0];
    if (!first) return { kind: 'nowhere' };
    const rivals = meant.filter((rule) => rule.rank === first.rank && rule.policyId !== first.policyId);
    if (rivals.length) {
      const all = [first, ...rivals];
      return { kind: 'conflict', ruleIds: all.map((r) => r.id), policyIds: [...new Set(all.map((r) => r.policyId))] };
    }
    const others = meant.filter((rule) => rule.policyId !== first.policyId).map((rule) => rule.id);
    return { kind: 'enrolled', ruleId: first.id, policyId: first.policyId, others };
  });
}

export interface EnrolmentFindings {
  /** Workloads that nobody takes: the dangerous ones. */
  readonly nowhere: readonly string[];
  /** Workloads that several policies want at the same rank. */
  readonly conflicts: readonly string[];
  /** Workloads that a later rule would take too: right, but worth a look. */
  readonly doubles: readonly string[];
  /** Rules that take no workload, or only those that an earlier rule has taken. */
  readonly idleRules: readonly number[];
}

export function findings(workloads: readonly Subject[], rules: readonly RuleFact[]): EnrolmentFindings {
  const enrolled = enrol(workloads, rules);
  const names = (test: (e: Enrolled) => boolean): string[] =>
    workloads.filter((_, i) => test(enrolled[i] as Enrolled)).map((w) => w.name);
  const used = new Set(
    enrolled.flatMap((e) => (e.kind === 'enrolled' ? [e.ruleId] : e.kind === 'conflict' ? e.ruleIds : [])),
  );
  return {
    nowhere: names((e) => e.kind === 'nowhere'),
    conflicts: names((e) => e.kind === 'conflict'),
    doubles: names((e) => e.kind === 'enrolled' && e.others.length > 0),
    idleRules: rules.filter((rule) => !used.has(rule.id)).map((rule) => rule.id),
  };
}

export interface DiskFact {
  readonly id: number;
  readonly role: DiskRole;
}
export interface DiskGap {
  readonly diskId: number;
  readonly role: DiskRole;
  /** `does-not-boot`: a system disk in no copy; `lost`: data that would not come back; `fine`: scratch need not. */
  readonly effect: 'does-not-boot' | 'lost' | 'fine';
}

/** Disks of a workload that none of its lanes copies, with what that means at recovery. */
export function diskGaps(
  disks: readonly DiskFact[],
  lanes: ReadonlyArray<{ readonly excludeRoles: readonly DiskRole[] }>,
): DiskGap[] {
  return disks
    .filter((disk) => lanes.every((lane) => lane.excludeRoles.includes(disk.role)))
    .map(({ id, role }) => ({
      diskId: id,
      role,
      effect: role === 'system' ? 'does-not-boot' : role === 'scratch' ? 'fine' : 'lost',
    }));
}
