/** What a link may carry at which hours. */
import { array, number, object } from 'yup';
import { command } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { id, weekly } from '@/commands/shapes';
import { execute, selectOne } from '@/store/database';

/** Less than this lets nothing through in time, and a shut link is a blackout of its lanes. */
const LEAST_BPS = 1e6;

export const throttleLink = command({
  name: 'throttle-link',
  least: 'administrator',
  input: object({
    linkId: id(),
    throttles: array(
      object({
        when: weekly.required(),
        rateBps: number().required('Say how much.').integer().min(LEAST_BPS, 'At least 1 Mbit/s.').max(1e13),
      }).noUnknown(),
    )
      .required()
      .max(20, 'At most 20 throttles.'),
  }),
  run: async ({ linkId, throttles }, { db, tx }) => {
    const link = await selectOne<{ name: string }>(db, 'SELECT name FROM links WHERE id = ? FOR UPDATE', [linkId], tx);
    if (!link) throw new Refusal('not-found', `There is no link ${linkId}.`);
    await execute(db, 'UPDATE links SET throttles = ? WHERE id = ?', [JSON.stringify(throttles), linkId], tx);
    return { result: { linkId }, subject: link.name, detail: { throttles } };
  },
});
