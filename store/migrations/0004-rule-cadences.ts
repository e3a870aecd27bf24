import { execute, select } from '@/store/database';
import type { Migration } from '@/store/migrate';
import { parseJson } from '@/store/schedules';

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
    const rows = await select<{
      policy_id: number;
      revision: number;
      lanes: string | Array<{ cadence: { kind: string } }>;
    }>(db, 'SELECT policy_id, revision, lanes FROM policy_revisions');
    for (const { policy_id, revision, lanes } of rows) {
      const changed = parseJson(lanes).map((lane) =>
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

/**
 * A rule crosses its hours with its minutes. Where that gives more times than were wanted, BYSETPOS picks the wanted ones
 * out of the period, so 06:00 and 18:30 stay just these two.
 */
function asRule({ zone, weekdays, timesMin }: WeeklyCadence) {
  const sorted = (values: readonly number[]): number[] => [...new Set(values)].sort((a, b) => a - b);
  const hours = sorted(timesMin.map((t) => Math.floor(t / 60)));
  const minutes = sorted(timesMin.map((t) => t % 60));
  const everyDay = weekdays.length === 7;
  const days = sorted(weekdays);
  const crossed = hours.flatMap((hour) => minutes.map((minute) => hour * 60 + minute));
  const wanted = (everyDay ? [0] : days).flatMap((_, day) =>
    crossed.flatMap((time, i) => (timesMin.includes(time) ? [day * crossed.length + i + 1] : [])),
  );
  const picked = crossed.length === new Set(timesMin).size ? '' : `;BYSETPOS=${wanted.join(',')}`;
  const on = everyDay ? 'FREQ=DAILY' : `FREQ=WEEKLY;BYDAY=${days.map((d) => WEEKDAYS[d - 1]).join(',')}`;
  const rule = `${on};BYHOUR=${hours.join(',')};BYMINUTE=${minutes.join(',')}${picked}`;
  return { kind: 'rule', zone, start: '2026-01-05T00:00', rule };
}
