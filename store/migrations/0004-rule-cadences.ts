import { execute, select } from '@/store/database';
import type { Migration } from '@/store/migrate';

interface WeeklyCadence {
  readonly kind: 'weekly';
  readonly zone: string;
  readonly weekdays: readonly number[];
  readonly timesMin: readonly number[];
}
const WEEKDAYS = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'];

/** Weekday cadences become recurrence rules: one notation for all that is planned by the calendar. */
export const ruleCadences: Migration = {
  name: '0004-rule-cadences',
  statements: [],
  change: async (db) => {
    const rows = await select<{ policy_id: number; revision: number; lanes: string | object }>(
      db,
      'SELECT policy_id, revision, lanes FROM policy_revisions',
    );
    for (const { policy_id, revision, lanes } of rows) {
      const text = typeof lanes === 'string' ? lanes : JSON.stringify(lanes);
      const list = JSON.parse(text) as Array<{ cadence: { kind: string } }>;
      const changed = list.map((lane) =>
        lane.cadence.kind === 'weekly' ? { ...lane, cadence: asRule(lane.cadence as unknown as WeeklyCadence) } : lane,
      );
      await execute(db, 'UPDATE policy_revisions SET lanes = ? WHERE policy_id = ? AND revision = ?', [
        JSON.stringify(changed),
        policy_id,
        revision,
      ]);
    }
  },
};

/** Times that do not share their minutes keep the hours and the first minute: no such lane was ever made. */
function asRule({ zone, weekdays, timesMin }: WeeklyCadence) {
  const hours = [...new Set(timesMin.map((t) => Math.floor(t / 60)))].join(',');
  const minute = (timesMin[0] ?? 0) % 60;
  const days =
    weekdays.length === 7 ? 'FREQ=DAILY' : `FREQ=WEEKLY;BYDAY=${weekdays.map((d) => WEEKDAYS[d - 1]).join(',')}`;
  return { kind: 'rule', zone, start: '2026-01-05T00:00', rule: `${days};BYHOUR=${hours};BYMINUTE=${minute}` };
}
