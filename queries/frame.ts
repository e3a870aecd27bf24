import { select, type Database } from '@/store/database';

/** Names that the demo's stand-in panel offers, by kind. */
export async function standInSubjects(db: Database): Promise<Readonly<Record<string, readonly string[]>>> {
  const names = async (sql: string) => (await select<{ name: string }>(db, sql)).map((row) => row.name);
  const [links, sites, movers, repositories, clusters, workloads] = await Promise.all([
    names('SELECT name FROM links ORDER BY id'),
    names('SELECT name FROM sites ORDER BY id'),
    names('SELECT name FROM movers ORDER BY id'),
    names('SELECT name FROM repositories ORDER BY id'),
    names('SELECT name FROM clusters ORDER BY id'),
    names('SELECT name FROM workloads ORDER BY name LIMIT 500'),
  ]);
  return { links, sites, movers, repositories, clusters, workloads };
}
