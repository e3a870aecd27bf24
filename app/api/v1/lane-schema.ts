/** JSON Schema (2020-12) of a lane as the API takes and gives it; commands/lane-shape.ts is what refuses. */
import { COMPRESSIONS, CONSISTENCIES, DISK_ROLES, FIRST_COPIES, LANE_KINDS } from '@/core/protect/policy';
import { PERIODS } from '@/core/protect/ladder-bucket';

const text = { type: 'string' };
const whole = { type: 'integer', minimum: 0 };
const opening = {
  type: 'object',
  properties: { windows: { type: 'array' }, blackouts: { type: 'array' } },
  required: ['windows', 'blackouts'],
};

const settings = {
  consistency: { enum: CONSISTENCIES },
  excludeRoles: { type: 'array', items: { enum: DISK_ROLES } },
  targets: { type: 'object', additionalProperties: { type: 'integer', minimum: 1 } },
  source: text,
  opening,
  withoutFreeze: { enum: ['fail', 'go-on'] },
  sending: {
    type: 'object',
    properties: { compression: { enum: COMPRESSIONS }, encrypted: { type: 'boolean' } },
    required: ['compression', 'encrypted'],
  },
  firstCopy: { enum: FIRST_COPIES },
  together: { type: 'boolean' },
};
const needed = ['consistency', 'excludeRoles', 'targets'];

export const CADENCE = {
  type: 'object',
  properties: {
    kind: { enum: ['every', 'rule', 'after', 'by-hand'] },
    everyMs: whole,
    offsetMs: whole,
    lane: text,
    zone: text,
    start: text,
    rule: text,
  },
  required: ['kind'],
};
export const LADDER = {
  type: 'object',
  properties: {
    reading: { enum: ['bands', 'newest'] },
    zone: text,
    count: whole,
    rungs: {
      type: 'array',
      items: {
        type: 'object',
        properties: { per: { enum: [...PERIODS, null] }, count: whole, spanMs: whole },
        required: ['per', 'count', 'spanMs'],
      },
    },
  },
  required: ['reading'],
};
export const SETTINGS = { type: 'object', properties: settings, required: needed };
export const LANE = {
  type: 'object',
  properties: { key: text, kind: { enum: LANE_KINDS }, cadence: CADENCE, ladder: LADDER, ...settings },
  required: ['key', 'kind', 'cadence', 'ladder', ...needed],
};
