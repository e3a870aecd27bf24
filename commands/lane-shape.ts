/** A lane as people may give it: every setting with its limits. Whether lanes fit together is in core/protect/lane-check.ts. */
import { array, boolean, lazy, mixed, number, object, string, type ObjectShape } from 'yup';
import { COMPRESSIONS, CONSISTENCIES, DISK_ROLES, FIRST_COPIES, LANE_KINDS, type Lane } from '@/core/protect/policy';
import { laneFaults, lanesWithoutPlace } from '@/core/protect/lane-check';
import { counted } from '@/core/words';
import { Refusal } from '@/commands/refusal';
import { cadence, ladder, weekly } from '@/commands/shapes';
import { select, type Database, type Tx } from '@/store/database';

const oneOf = <T extends string>(values: readonly T[]) =>
  mixed<T>().oneOf([...values], `Must be ${values.slice(0, -1).join(', ')} or ${values.at(-1)}.`);

/** Places by number of the site: {"1": 4}. */
const targets = lazy((value: unknown) => {
  const sites = typeof value === 'object' && value !== null ? Object.keys(value).slice(0, 100) : [];
  const place = number().required().integer('Must be a whole number.').min(1, 'Must be 1 or more.');
  return object(Object.fromEntries(sites.map((site) => [site, place]))).required();
});

const windows = () => array(weekly).max(20, 'At most 20 windows.').required();

const SETTINGS: ObjectShape = {
  consistency: oneOf(CONSISTENCIES).required(),
  excludeRoles: array(oneOf(DISK_ROLES).required()).max(DISK_ROLES.length).required(),
  source: string().max(24),
  opening: object({ windows: windows(), blackouts: windows() }).noUnknown().default(undefined).optional(),
  withoutFreeze: oneOf(['fail', 'go-on'] as const),
  sending: object({ compression: oneOf(COMPRESSIONS).required(), encrypted: boolean().required() })
    .noUnknown()
    .default(undefined)
    .optional(),
  firstCopy: oneOf(FIRST_COPIES),
  together: boolean(),
};

/** What of a lane is neither its cadence nor its ladder. */
export const laneSettings = object({ ...SETTINGS, targets }).noUnknown();

export const laneShape = object({
  key: string().required('Give it a name.').max(24, 'At most 24 letters.'),
  kind: oneOf(LANE_KINDS).required(),
  cadence: cadence.required(),
  ladder: ladder.required(),
  ...SETTINGS,
  targets,
}).noUnknown();

/** Refuses lanes that would have nowhere to write for workloads that a policy has. */
export async function requirePlaces(db: Database, policyId: number, lanes: readonly Lane[], tx: Tx): Promise<void> {
  const sites = await select<{ id: number; name: string; workloads: number }>(
    db,
    `SELECT s.id, s.name, COUNT(*) workloads FROM enrolments e JOIN workloads w ON w.id = e.workload_id JOIN sites s ON s.id = w.site_id
      WHERE e.policy_id = ? GROUP BY s.id, s.name ORDER BY s.id`,
    [policyId],
    tx,
  );
  const [first, ...more] = lanesWithoutPlace(lanes, sites);
  if (!first) return;
  const others = more.length ? ` (and ${more.length} more)` : '';
  throw new Refusal(
    'conflict',
    `Lane ${first.lane} names no place for ${first.site}, where the policy has ${counted(first.workloads, 'workload')}${others}. Name one for that site.`,
    { [`${first.lane}.targets`]: `Name a place for ${first.site}.` },
  );
}

/** Refuses lanes that cannot work together, or that go to places which are not there. */
export async function requireLanes(db: Database, lanes: readonly Lane[], tx: Tx): Promise<void> {
  const ids = async (table: 'datastores' | 'repositories'): Promise<Set<number>> =>
    new Set((await select<{ id: number }>(db, `SELECT id FROM ${table}`, [], tx)).map((row) => row.id));
  const [datastores, repositories] = [await ids('datastores'), await ids('repositories')];
  const faults = laneFaults(lanes, { datastores, repositories });
  if (!faults.length) return;
  const fields = Object.fromEntries(faults.map(({ lane, field, says }) => [`${lane}.${field}`, says]));
  const [first] = faults as [(typeof faults)[number]];
  throw new Refusal('bad-input', `Lane ${first.lane}: ${first.says}`, fields);
}
