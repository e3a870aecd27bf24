/** Shapes that several commands take. */
import { array, mixed, number, object, string } from 'yup';
import { EVERY_MAX_MS, EVERY_MIN_MS } from '@/core/time/cadence';
import { parseRule, type BadRule } from '@/core/time/recurrence-text';
import { isZone } from '@/core/time/zone';
import { PERIODS } from '@/core/protect/ladder-bucket';
import { DAY } from '@/core/units';

export const id = () =>
  number()
    .required('Say which.')
    .integer('Must be a whole number.')
    .min(1, 'Must be 1 or more.')
    .max(2 ** 40, 'Is too large.');
export const instant = () =>
  number().required('Say when.').integer('Must be in whole milliseconds.').min(0).max(8.64e15);
export const reason = () =>
  string()
    .required('Give a reason.')
    .trim()
    .min(3, 'Give a reason of at least 3 letters.')
    .max(200, 'At most 200 letters.');
const zone = () =>
  string()
    .required()
    .max(64)
    .test('zone', 'Is no time zone; use a name such as Europe/Oslo.', (value) => isZone(value ?? ''));

/** A stretch of local time that comes every week. */
export const weekly = object({
  kind: mixed<'weekly'>().oneOf(['weekly'], 'Must be weekly.').required(),
  zone: zone(),
  weekdays: array(number().required().integer().min(1).max(7, 'Days are 1, Monday, to 7.'))
    .required()
    .min(1, 'At least one day.')
    .max(7),
  fromMin: number().required().integer().min(0).max(1439, 'Minutes since midnight are 0 to 1439.'),
  toMin: number().required().integer().min(0).max(1439, 'Minutes since midnight are 0 to 1439.'),
}).noUnknown();

export const cadence = object({
  kind: mixed<'every' | 'rule' | 'after' | 'by-hand'>()
    .oneOf(['every', 'rule', 'after', 'by-hand'], 'Must be every, rule, after or by-hand.')
    .required(),
  everyMs: number().when('kind', {
    is: 'every',
    then: (s) =>
      s
        .required('Say how often.')
        .integer()
        .min(EVERY_MIN_MS, 'Not more often than every 30 s.')
        .max(EVERY_MAX_MS, 'At least once in 31 days.'),
  }),
  offsetMs: number().when('kind', { is: 'every', then: (s) => s.required().integer().min(0).max(EVERY_MAX_MS) }),
  lane: string().when('kind', { is: 'after', then: (s) => s.required('Say after which lane.').max(24) }),
  zone: string().when('kind', { is: 'rule', then: zone }),
  start: string().when('kind', {
    is: 'rule',
    then: (s) =>
      s.required().matches(/^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d)?$/, 'Write a local time such as 2026-01-05T22:00.'),
  }),
  rule: string().when('kind', {
    is: 'rule',
    then: (s) =>
      s
        .required()
        .max(400)
        .test('rule', (text, context) => {
          try {
            parseRule(text ?? '');
            return true;
          } catch (error) {
            return context.createError({ message: (error as BadRule).message });
          }
        }),
  }),
}).noUnknown();

const MAX_SPAN = 3660 * DAY;
export const ladder = object({
  reading: mixed<'bands' | 'newest'>().oneOf(['bands', 'newest'], 'Must be bands or newest.').required(),
  zone: string().when('reading', { is: 'bands', then: zone }),
  count: number().when('reading', {
    is: 'newest',
    then: (s) => s.required().integer().min(1, 'Keep at least 1.').max(1000, 'At most 1000.'),
  }),
  rungs: array(
    object({
      per: string().oneOf(PERIODS, 'Must be hour, day, week, month or year.').nullable().defined(),
      count: number().required().integer().min(1, 'At least 1.').max(24, 'At most 24.'),
      spanMs: number()
        .required('Say for how long.')
        .integer()
        .min(60_000, 'At least a minute.')
        .max(MAX_SPAN, 'At most ten years.'),
    }).noUnknown(),
  ).when('reading', {
    is: 'bands',
    then: (s) => s.required().min(1, 'At least one rung.').max(8, 'At most eight rungs.'),
  }),
}).noUnknown();
