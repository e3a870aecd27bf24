import { QueryTypes } from 'sequelize';
import { Umzug } from 'umzug';
import { foundation } from '@/store/migrations/0001-foundation';
import { hotPaths } from '@/store/migrations/0002-hot-paths';
import { spaceSamples } from '@/store/migrations/0003-space-samples';
import { ruleCadences } from '@/store/migrations/0004-rule-cadences';
import { selectors } from '@/store/migrations/0005-selectors';
import { trust } from '@/store/migrations/0006-trust';
import { outside } from '@/store/migrations/0007-outside';
import { lanes } from '@/store/migrations/0008-lanes';
import { placeSpace } from '@/store/migrations/0009-place-space';
import { pointKeys } from '@/store/migrations/0010-point-keys';
import { overSince } from '@/store/migrations/0011-over-since';
import { freedBytes } from '@/store/migrations/0012-freed-bytes';
import { filesystem } from '@/store/migrations/0013-filesystem';
import type { Database } from '@/store/database';

/** DDL commits by itself in MariaDB, so a migration is a list of statements that goes forward only. */
export interface Migration {
  readonly name: string;
  readonly statements: readonly string[];
  /** What plain statements cannot say; runs after them. */
  readonly change?: (database: Database) => Promise<void>;
}

/** In order; append only. */
const MIGRATIONS: readonly Migration[] = [
  foundation,
  hotPaths,
  spaceSamples,
  ruleCadences,
  selectors,
  trust,
  outside,
  lanes,
  placeSpace,
  pointKeys,
  overSince,
  freedBytes,
  filesystem,
];

/** What a database of this version has gone through. */
export const MIGRATION_NAMES: readonly string[] = MIGRATIONS.map((migration) => migration.name);

/** Brings the schema up to date; returns the names that were applied now. */
export async function migrate(database: Database): Promise<string[]> {
  await database.query('CREATE TABLE IF NOT EXISTS migrations (name VARCHAR(120) PRIMARY KEY)');
  const umzug = new Umzug({
    migrations: MIGRATIONS.map(({ name, statements, change }) => ({
      name,
      up: async () => {
        for (const statement of statements) await database.query(statement);
        await change?.(database);
      },
    })),
    storage: {
      logMigration: async ({ name }) =>
        void (await database.query('INSERT INTO migrations VALUES (?)', { replacements: [name] })),
      unlogMigration: async () => Promise.reject(new Error('Migrations only go forward.')),
      executed: async () =>
        (
          await database.query<{ name: string }>('SELECT name FROM migrations ORDER BY name', {
            type: QueryTypes.SELECT,
          })
        ).map((row) => row.name),
    },
    logger: undefined,
  });
  return (await umzug.up()).map((migration) => migration.name);
}
