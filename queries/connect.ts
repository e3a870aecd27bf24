import { openClock, type Clock } from '@/store/clock';
import { databaseOptions, openDatabase, selectOne, type Database } from '@/store/database';

export interface Connected {
  readonly db: Database;
  readonly clock: Clock;
}

/** Database and clock as the environment names them. */
export function connectFromEnvironment(env: NodeJS.ProcessEnv): Connected {
  const db = openDatabase(databaseOptions(env, 10));
  return { db, clock: openClock(db, env) };
}

/** The zone that times are shown in: the first site's, or UTC before there is one. */
export async function displayZone(db: Database): Promise<string> {
  return (await selectOne<{ zone: string }>(db, 'SELECT zone FROM sites ORDER BY id LIMIT 1'))?.zone ?? 'UTC';
}
