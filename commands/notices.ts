/** Where notices go, a trial of it, and taking a cause up. */
import { randomBytes, randomUUID } from 'node:crypto';
import { mixed, number, object, string } from 'yup';
import { LEVELS, type Level } from '@/core/notify/notice';
import { DAY, MINUTE } from '@/core/units';
import { command } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { id } from '@/commands/shapes';
import { execute } from '@/store/database';
import { seal, sealingKey } from '@/store/sealed';

const minuteOfDay = () =>
  number().integer().min(0, 'Is no time of day.').max(1439, 'Is no time of day.').nullable().defined();

export const addNoticeRoute = command({
  name: 'add-notice-route',
  least: 'administrator',
  input: object({
    kind: mixed<'mail' | 'webhook'>().oneOf(['mail', 'webhook'], 'Must be mail or webhook.').required(),
    target: string()
      .required('Say where to.')
      .max(300)
      .when('kind', {
        is: 'mail',
        then: (s) => s.matches(/^[^\s@<>]+@[^\s@<>]+$/, 'Write a mail address.'),
        otherwise: (s) => s.matches(/^https?:\/\/[^\s]+$/, 'Write an address that begins with http:// or https://.'),
      }),
    level: mixed<Level>()
      .oneOf([...LEVELS], 'Must be over, closing or all.')
      .required(),
    quietFromMin: minuteOfDay(),
    quietToMin: minuteOfDay(),
    escalateAfterMs: number()
      .integer()
      .min(MINUTE, 'At least a minute.')
      .max(7 * DAY, 'At most a week.')
      .nullable()
      .defined(),
    gatherMs: number().integer().min(0).max(DAY, 'At most a day.'),
  }),
  run: async ({ kind, target, level, quietFromMin, quietToMin, escalateAfterMs, gatherMs }, { db, tx, nowMs }) => {
    if ((quietFromMin === null) !== (quietToMin === null))
      throw new Refusal('bad-input', 'Quiet hours have a beginning and an end.', { quietToMin: 'Give both or none.' });
    const secret = kind === 'webhook' ? randomBytes(24).toString('base64url') : null;
    const { id: routeId } = await execute(
      db,
      `INSERT INTO notice_routes (kind, target, level, secret, quiet_from_min, quiet_to_min, escalate_after_ms, gather_ms, created_ms)
        VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
      [
        kind,
        target,
        level,
        secret === null ? null : seal(secret, sealingKey(process.env)),
        quietFromMin,
        quietToMin,
        escalateAfterMs,
        gatherMs ?? 0,
        nowMs,
      ],
      tx,
    );
    return {
      result: { routeId, secret },
      subject: `${kind} ${target}`,
      detail: { routeId, level, escalateAfterMs, gatherMs },
    };
  },
});

export const removeNoticeRoute = command({
  name: 'remove-notice-route',
  least: 'administrator',
  input: object({ routeId: id() }),
  run: async ({ routeId }, { db, tx, nowMs }) => {
    const { rows } = await execute(
      db,
      'UPDATE notice_routes SET removed_ms = ?, secret = NULL WHERE id = ? AND removed_ms IS NULL',
      [nowMs, routeId],
      tx,
    );
    if (!rows) throw new Refusal('not-found', `There is no route ${routeId}.`);
    return { result: { routeId }, subject: `route ${routeId}`, detail: {} };
  },
});

export const tryNoticeRoute = command({
  name: 'try-notice-route',
  least: 'administrator',
  input: object({ routeId: id() }),
  run: async ({ routeId }, { db, tx, nowMs }) => {
    const { rows } = await execute(
      db,
      `INSERT INTO notices (route_id, reason, event_id, created_ms, not_before_ms)
        SELECT id, 'trial', ?, ?, ? FROM notice_routes WHERE id = ? AND removed_ms IS NULL`,
      [randomUUID(), nowMs, nowMs, routeId],
      tx,
    );
    if (!rows) throw new Refusal('not-found', `There is no route ${routeId}.`);
    return { result: { routeId }, subject: `route ${routeId}`, detail: {} };
  },
});

export const takeUpCause = command({
  name: 'take-up-cause',
  least: 'operator',
  input: object({ causeKey: string().required('Say which.').max(160) }),
  run: async ({ causeKey }, { db, tx, nowMs, person }) => {
    const { rows } = await execute(
      db,
      'UPDATE causes SET taken_by = ?, taken_ms = ? WHERE cause_key = ? AND to_ms IS NULL AND taken_ms IS NULL',
      [person.id, nowMs, causeKey],
      tx,
    );
    if (!rows) throw new Refusal('conflict', 'It has ended, or somebody has taken it up already.');
    return { result: {}, subject: causeKey, detail: {} };
  },
});
