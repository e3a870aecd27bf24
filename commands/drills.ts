/** Starting and cancelling drills. */
import { number, object } from 'yup';
import { command } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { id } from '@/commands/shapes';
import { execute, selectOne } from '@/store/database';

export const startDrill = command({
  name: 'start-drill',
  least: 'operator',
  input: object({ runbookId: id(), pointInTimeMs: number().integer().min(0).nullable().defined() }),
  run: async ({ runbookId, pointInTimeMs }, deed) => {
    const runbook = await selectOne<{ name: string }>(
      deed.db,
      'SELECT name FROM runbooks WHERE id = ? FOR UPDATE',
      [runbookId],
      deed.tx,
    );
    if (!runbook) throw new Refusal('not-found', `There is no runbook ${runbookId}.`);
    if (pointInTimeMs !== null && pointInTimeMs > deed.nowMs)
      throw new Refusal('bad-input', 'The chosen time lies ahead.', {
        pointInTimeMs: 'Choose a time that has passed.',
      });
    const open = await selectOne<{ id: number }>(
      deed.db,
      `SELECT id FROM drills WHERE runbook_id = ? AND state IN ('waiting','running','cleaning')`,
      [runbookId],
      deed.tx,
    );
    if (open) throw new Refusal('conflict', `Drill ${open.id} of ${runbook.name} is still under way.`);
    const { id: drillId } = await execute(
      deed.db,
      `INSERT INTO drills (runbook_id, state, point_in_time_ms, started_by, created_ms) VALUES (?, 'waiting', ?, ?, ?)`,
      [runbookId, pointInTimeMs, deed.person.id, deed.nowMs],
      deed.tx,
    );
    return { result: { drillId }, subject: runbook.name, detail: { drillId, pointInTimeMs } };
  },
});

export const cancelDrill = command({
  name: 'cancel-drill',
  least: 'operator',
  input: object({ drillId: id() }),
  run: async ({ drillId }, deed) => {
    const { rows } = await execute(
      deed.db,
      `UPDATE drills SET cancel_requested = TRUE WHERE id = ? AND state IN ('waiting','running')`,
      [drillId],
      deed.tx,
    );
    if (!rows) throw new Refusal('conflict', `Drill ${drillId} is not under way.`);
    return { result: { drillId }, subject: `drill ${drillId}`, detail: {} };
  },
});
