/** A run as it is planned, by its cadence or after another run. */
import type { Lane } from '@/core/protect/policy';
import type { EpochMs } from '@/core/units';

export const PLANNED_COLUMNS = [
  'enrolment_id',
  'workload_id',
  'policy_id',
  'revision',
  'lane_key',
  'kind',
  'occurrence_ms',
  'started_by',
  'state',
  'not_before_ms',
  'group_key',
] as const;

/** The row of an occurrence, in the order of PLANNED_COLUMNS. */
export function plannedRun(
  of: {
    readonly enrolment_id: number;
    readonly workload_id: number;
    readonly policy_id: number;
    readonly revision: number;
    readonly application_id: number;
    readonly lane: Pick<Lane, 'key' | 'kind' | 'together'>;
  },
  atMs: EpochMs,
  state: 'waiting' | 'missed',
  startedBy: 'cadence' | 'person' = 'cadence',
): unknown[] {
  const { enrolment_id, workload_id, policy_id, revision, application_id, lane } = of;
  const group = lane.together ? `${policy_id}/${lane.key}/${application_id}/${atMs}` : null;
  return [enrolment_id, workload_id, policy_id, revision, lane.key, lane.kind, atMs, startedBy, state, atMs, group];
}
