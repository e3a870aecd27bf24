/** Pauses: runs of a policy, a site or a workload wait until an instant. The clock of exposure goes on. */
import { mixed, number, object } from 'yup';
import { DAY } from '@/core/units';
import { command } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { id, reason } from '@/commands/shapes';
import { execute, selectOne } from '@/store/database';

export const PAUSE_SCOPES = ['policy', 'site', 'workload'] as const;
type PauseScope = (typeof PAUSE_SCOPES)[number];
const TABLES: Readonly<Record<PauseScope, string>> = { policy: 'policies', site: 'sites', workload: 'workloads' };
/** A pause has an end: what is paused for longer than this was forgotten. */
const LONGEST_MS = 31 * DAY;

export const beginPause = command({
  name: 'begin-pause',
  least: 'operator',
  input: object({
    scope: mixed<PauseScope>()
      .oneOf([...PAUSE_SCOPES], 'Must be policy, site or workload.')
      .required(),
    scopeId: id(),
    untilMs: number().required('Say until when.').integer(),
    reason: reason(),
  }),
  run: async ({ scope, scopeId, untilMs, reason: why }, { db, tx, nowMs, person }) => {
    if (untilMs <= nowMs || untilMs > nowMs + LONGEST_MS)
      throw new Refusal('bad-input', 'A pause ends in the future, within 31 days.', {
        untilMs: 'Must lie within 31 days.',
      });
    const subject = await selectOne<{ name: string }>(
      db,
      `SELECT name FROM ${TABLES[scope]} WHERE id = ?`,
      [scopeId],
      tx,
    );
    if (!subject) throw new Refusal('not-found', `There is no ${scope} ${scopeId}.`);
    const { id: pauseId } = await execute(
      db,
      'INSERT INTO pauses (scope, scope_id, from_ms, to_ms, reason, created_by) VALUES (?, ?, ?, ?, ?, ?)',
      [scope, scopeId, nowMs, untilMs, why, person.id],
      tx,
    );
    return { result: { pauseId }, subject: `${scope} ${subject.name}`, detail: { untilMs, reason: why } };
  },
});

export const endPause = command({
  name: 'end-pause',
  least: 'operator',
  input: object({ pauseId: id() }),
  run: async ({ pauseId }, { db, tx, nowMs }) => {
    const { rows } = await execute(
      db,
      'UPDATE pauses SET to_ms = GREATEST(?, from_ms) WHERE id = ? AND to_ms > ?',
      [nowMs, pauseId, nowMs],
      tx,
    );
    if (!rows) throw new Refusal('not-found', `There is no pause ${pauseId} in force.`);
    return { result: { pauseId }, subject: `pause ${pauseId}`, detail: {} };
  },
});
