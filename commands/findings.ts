/** Deleting copies that belong to nothing here: only what reconciliation has reported, and only while it still says so. */
import { number, object, string } from 'yup';
import { controllerFromEnvironment } from '@/connectors/http-controller';
import { ControllerError } from '@/connectors/site-controller';
import { command } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { id } from '@/commands/shapes';
import { execute, select } from '@/store/database';

export const deleteUnknown = command({
  name: 'delete-unknown-copies',
  least: 'administrator',
  input: object({
    placeKind: string().required().oneOf(['repository', 'datastore'], 'Must be repository or datastore.'),
    placeId: id(),
    /** How many the person saw: more or fewer by now is refused. */
    count: number().required().integer().min(1),
  }),
  run: async ({ placeKind, placeId, count }, { db, tx, nowMs }) => {
    const found = await select<{ id: number; copy_key: string }>(
      db,
      `SELECT f.id, f.copy_key FROM findings f WHERE f.kind = 'unknown' AND f.to_ms IS NULL AND f.place_kind = ? AND f.place_id = ?
          AND NOT EXISTS (SELECT 1 FROM points p WHERE p.copy_key = f.copy_key AND p.gone_ms IS NULL) FOR UPDATE`,
      [placeKind, placeId],
      tx,
    );
    if (found.length !== count)
      throw new Refusal('conflict', `There are ${found.length} such copies by now, not ${count}.`);
    const place = { kind: placeKind as 'repository' | 'datastore', id: placeId };
    const site = controllerFromEnvironment(process.env, () => nowMs);
    try {
      await Promise.all(found.map((f) => site.deleteCopy({ ...place, copyKey: f.copy_key })));
    } catch (error) {
      if (error instanceof ControllerError) throw new Refusal('no-answer', error.message);
      throw error;
    } finally {
      site.close();
    }
    await execute(db, 'UPDATE findings SET to_ms = ? WHERE id IN (?)', [nowMs, found.map((f) => f.id)], tx);
    return {
      result: { deleted: found.length },
      subject: `${placeKind} ${placeId}`,
      detail: { copies: found.map((f) => f.copy_key) },
    };
  },
});
