import { one } from '@/app/context';
import { WORKLOAD_SORTS, type WorkloadFilter, type WorkloadSort } from '@/queries/workloads';

/** The filters of the table of workloads as the address carries them; unknown values are left out. */
export function workloadFilter(params: Record<string, string | string[] | undefined>): WorkloadFilter {
  const sort = one(params.sort);
  const descending = sort.startsWith('-');
  const name = sort.replace(/^-/, '');
  const known = (WORKLOAD_SORTS as readonly string[]).includes(name);
  return {
    text: one(params.text),
    standing: one(params.standing),
    tier: one(params.tier),
    site: one(params.site),
    policy: one(params.policy),
    unproven: one(params.unproven) === '1',
    sort: known ? (name as WorkloadSort) : 'used',
    descending: known ? descending : true,
  };
}
