import { execute, select } from '@/store/database';
import type { Migration } from '@/store/migrate';
import { parseJson } from '@/store/schedules';

interface Conditions {
  readonly conditions: ReadonlyArray<{ readonly field: string; readonly anyOf: readonly string[] }>;
}

/** Whom a policy takes becomes the text of a selector: one notation for rules, filters and explanations. */
export const selectors: Migration = {
  name: '0005-selectors',
  statements: [],
  change: async (db) => {
    const rows = await select<{ policy_id: number; revision: number; rule: string | Partial<Conditions> }>(
      db,
      'SELECT policy_id, revision, rule FROM policy_revisions',
    );
    for (const { policy_id, revision, rule } of rows) {
      const { conditions } = parseJson(rule);
      if (!conditions) continue;
      const takes = conditions.map(asText).join(' and ') || 'all';
      await execute(db, 'UPDATE policy_revisions SET rule = ? WHERE policy_id = ? AND revision = ?', [
        JSON.stringify({ takes }),
        policy_id,
        revision,
      ]);
    }
  },
};

/** Roles were a field of their own; they are a label. */
function asText({ field, anyOf }: Conditions['conditions'][number]): string {
  const values = anyOf.map((value) => `"${value.replace(/["\\]/g, '\\$&')}"`).join(', ');
  return `${field === 'role' ? 'label role' : field} is ${values}`;
}
