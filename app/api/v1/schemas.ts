/** JSON Schemas (2020-12) of what the API gives: the one description, in the document and in the tests alike. */
import { LANE_KINDS } from '@/core/protect/policy';
import { LANE } from '@/app/api/v1/lane-schema';

type Schema = Readonly<Record<string, unknown>>;

const id = { type: 'integer', minimum: 1 };
const text = { type: 'string' };
const whole = { type: 'integer', minimum: 0 };
const instant = { type: 'string', format: 'date-time' };
const orNull = (schema: Schema): Schema => ({ anyOf: [schema, { type: 'null' }] });
/** Every field is there, and no other. */
const record = (properties: Readonly<Record<string, Schema>>): Schema => ({
  type: 'object',
  properties,
  required: Object.keys(properties),
  additionalProperties: false,
});

export const SCHEMAS: Readonly<Record<string, Schema>> = {
  Workload: record({
    id,
    name: text,
    application: text,
    tier: { type: 'integer', minimum: 1, maximum: 4 },
    site: text,
    policyId: orNull(id),
    rpoSeconds: { type: 'number', exclusiveMinimum: 0 },
    newestPointTakenAt: orNull(instant),
    exposureSeconds: orNull(whole),
  }),
  Policy: record({
    id,
    name: text,
    note: text,
    revision: id,
    selector: text,
    lanes: { type: 'array', items: refTo('Lane') },
  }),
  Lane: LANE,
  Enrolment: record({
    id,
    workloadId: id,
    policyId: id,
    revision: id,
    inStep: { type: 'boolean' },
    since: instant,
  }),
  Run: record({
    id,
    workloadId: id,
    policyId: id,
    lane: text,
    kind: { enum: LANE_KINDS },
    state: { enum: ['waiting', 'running', 'succeeded', 'failed', 'cancelled', 'missed'] },
    attempt: whole,
    occurrenceAt: instant,
    startedAt: orNull(instant),
    endedAt: orNull(instant),
    sentBytes: orNull(whole),
    storedBytes: orNull(whole),
    cause: orNull(record({ code: text, subject: orNull(text), detail: orNull(text), remedy: orNull(text) })),
  }),
  Point: record({
    id,
    runId: id,
    workloadId: id,
    lane: text,
    kind: { enum: LANE_KINDS },
    place: record({ kind: { enum: ['datastore', 'repository'] }, id }),
    consistency: text,
    takenAt: instant,
    usableAt: instant,
    goneAt: orNull(instant),
    held: { type: 'boolean' },
    immutableUntil: orNull(instant),
    verifiedAt: orNull(instant),
    bad: { type: 'boolean' },
    digest: text,
    storedBytes: whole,
  }),
  RunStarted: record({ runId: id }),
  PointChanged: record({ pointId: id }),
  PauseBegun: record({ pauseId: id }),
  PolicyCreated: record({ policyId: id, workloads: whole }),
  PolicyRevised: record({ revision: id, lost: record({ points: whole, workloads: whole }) }),
  PolicyApplied: { type: 'object' },
  Problem: {
    type: 'object',
    properties: {
      type: text,
      title: text,
      status: { type: 'integer' },
      detail: text,
      fields: { type: 'object', additionalProperties: text },
    },
    required: ['type', 'title', 'status'],
  },
};

/** A window of items with the cursor to the next. */
export const listOf = (name: string): Schema =>
  record({ items: { type: 'array', items: refTo(name) }, next: orNull(text) });

export function refTo(name: string): Schema {
  return { $ref: `#/components/schemas/${name}` };
}
