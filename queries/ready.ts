/** Whether work gets done: the database answers with the schema of this version, and an engine was heard of lately. */
import { selectOne, type Database } from '@/store/database';
import { MIGRATION_NAMES } from '@/store/migrate';

/** An engine that was not heard of for this long does not count, in ms of real time. */
const SILENT_MS = 30_000;

export interface Readiness {
  readonly ready: boolean;
  readonly database: 'answers' | 'no answer' | 'older schema';
  readonly engines: number;
}

export async function readiness(db: Database): Promise<Readiness> {
  try {
    const row = await selectOne<{ migrations: number; engines: number }>(
      db,
      'SELECT (SELECT COUNT(*) FROM migrations) migrations, (SELECT COUNT(*) FROM engines WHERE beat_real_ms > ?) engines',
      [Date.now() - SILENT_MS],
    );
    const current = row?.migrations === MIGRATION_NAMES.length;
    const engines = row?.engines ?? 0;
    return { ready: current && engines > 0, database: current ? 'answers' : 'older schema', engines };
  } catch {
    return { ready: false, database: 'no answer', engines: 0 };
  }
}
