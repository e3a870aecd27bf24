/** Every operation of the API, once: the router serves this list, and the OpenAPI document is made of it. */
import { bodyOf, change, fields, resource, whole, type Operation } from '@/app/api/v1/operation';
import { CADENCE, LADDER, SETTINGS } from '@/app/api/v1/lane-schema';
import { refTo } from '@/app/api/v1/schemas';
import { createPolicy } from '@/commands/new-policy';
import { beginPause, endPause } from '@/commands/pauses';
import { applyPolicy, editLane } from '@/commands/policies';
import { cancelRun, holdPoint, makePoint, releaseHold, retryRun, runNow } from '@/commands/runs';
import { listEnrolments, listPoints, listPolicies, listRuns, listWorkloads } from '@/queries/listing';

const reason = { type: 'string', minLength: 3, maxLength: 200 };

export const OPERATIONS: readonly Operation[] = [
  ...resource('workloads', 'Workload', listWorkloads, 'w.id', {
    siteId: { column: 'w.site_id', schema: whole },
    policyId: { column: 'e.policy_id', schema: whole },
    name: { column: 'w.name', schema: { type: 'string', maxLength: 64 } },
  }),
  ...resource('policies', 'Policy', listPolicies, 'p.id', {}),
  change(
    'post',
    '/policies',
    'createPolicy',
    'Makes a policy and enrols what it takes and nobody else has',
    createPolicy,
    refTo('PolicyCreated'),
    fields,
    bodyOf(
      {
        name: { type: 'string', minLength: 3, maxLength: 80 },
        note: { type: 'string', maxLength: 255 },
        takes: { type: 'string', maxLength: 1000 },
        lanes: { type: 'array', items: refTo('Lane'), minItems: 1, maxItems: 12 },
      },
      ['name', 'takes', 'lanes'],
    ),
  ),
  change(
    'post',
    '/policies/{id}/revisions',
    'reviseLane',
    'Changes a lane: a new revision, in force once it is applied',
    editLane,
    refTo('PolicyRevised'),
    (call) => ({ ...fields(call), policyId: call.path.id }),
    bodyOf(
      {
        baseRevision: whole,
        laneKey: { type: 'string', maxLength: 24 },
        cadence: CADENCE,
        ladder: LADDER,
        settings: SETTINGS,
        acceptLoss: { type: 'boolean' },
      },
      ['baseRevision', 'laneKey', 'cadence', 'ladder', 'acceptLoss'],
    ),
  ),
  change(
    'post',
    '/policies/{id}/apply',
    'applyPolicy',
    'Puts the newest revision in force on the workloads of a policy',
    applyPolicy,
    refTo('PolicyApplied'),
    ({ path }) => ({ policyId: path.id }),
  ),
  ...resource('enrolments', 'Enrolment', listEnrolments, 'e.id', {
    workloadId: { column: 'e.workload_id', schema: whole },
    policyId: { column: 'e.policy_id', schema: whole },
  }),
  ...resource('runs', 'Run', listRuns, 'id', {
    workloadId: { column: 'workload_id', schema: whole },
    state: { column: 'state', schema: { enum: ['waiting', 'running', 'succeeded', 'failed', 'cancelled', 'missed'] } },
    lane: { column: 'lane_key', schema: { type: 'string', maxLength: 24 } },
  }),
  change(
    'post',
    '/runs',
    'startRun',
    'Runs a lane of a workload now',
    runNow,
    refTo('RunStarted'),
    fields,
    bodyOf({ workloadId: whole, laneKey: { type: 'string', maxLength: 24 } }, ['workloadId']),
  ),
  change(
    'post',
    '/runs/{id}/retry',
    'retryRun',
    'Tries a failed or cancelled run again, and one that waits for its next try at once',
    retryRun,
    refTo('RunStarted'),
    ({ path }) => ({
      runId: path.id,
    }),
  ),
  change(
    'post',
    '/runs/{id}/cancel',
    'cancelRun',
    'Cancels a run, at any step',
    cancelRun,
    refTo('RunStarted'),
    ({ path }) => ({
      runId: path.id,
    }),
  ),
  change(
    'post',
    '/points',
    'makePoint',
    'Makes a point of any second that the journal of a stream holds',
    makePoint,
    refTo('RunStarted'),
    (call) => {
      const { at, ...rest } = fields(call);
      return { ...rest, atMs: Date.parse(String(at)) };
    },
    bodyOf({
      workloadId: whole,
      laneKey: { type: 'string', maxLength: 24 },
      at: { type: 'string', format: 'date-time' },
    }),
  ),
  ...resource('points', 'Point', listPoints, 'id', {
    workloadId: { column: 'workload_id', schema: whole },
    lane: { column: 'lane_key', schema: { type: 'string', maxLength: 24 } },
  }),
  change(
    'post',
    '/points/{id}/hold',
    'holdPoint',
    'Holds a point: it does not expire until released',
    holdPoint,
    refTo('PointChanged'),
    (call) => ({ ...fields(call), pointId: call.path.id }),
    bodyOf({ reason }),
  ),
  change(
    'delete',
    '/points/{id}/hold',
    'releaseHold',
    'Releases the hold of a point',
    releaseHold,
    refTo('PointChanged'),
    (call) => ({ ...fields(call), pointId: call.path.id }),
    bodyOf({ reason }),
  ),
  change(
    'post',
    '/pauses',
    'beginPause',
    'Pauses a policy, site or workload until an instant',
    beginPause,
    refTo('PauseBegun'),
    (call) => {
      const { until, ...rest } = fields(call);
      return { ...rest, untilMs: Date.parse(String(until)) };
    },
    bodyOf({
      scope: { enum: ['policy', 'site', 'workload'] },
      scopeId: whole,
      until: { type: 'string', format: 'date-time' },
      reason,
    }),
  ),
  change('delete', '/pauses/{id}', 'endPause', 'Ends a pause', endPause, refTo('PauseBegun'), ({ path }) => ({
    pauseId: path.id,
  })),
];
