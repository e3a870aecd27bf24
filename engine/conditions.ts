/** What the sites say of themselves, kept as spans: sites that do not answer, links below their rate, space used. */
import { isDeepStrictEqual } from 'node:util';
import type { Throttle } from '@/core/flow/throttle';
import { parseJson } from '@/store/schedules';
import { HOUR, type EpochMs } from '@/core/units';
import { ControllerError, type FleetStatus, type SiteController } from '@/connectors/site-controller';
import { execute, inTransaction, insertMany, select, updateMany, type Database, type Tx } from '@/store/database';

/** Below this share of its rate a link counts as slow. */
const SLOW_BELOW = 0.9;

interface Open {
  id: number;
  subject: string;
  state: string;
  factor: number | null;
}

export async function observeConditions(db: Database, site: SiteController, nowMs: EpochMs): Promise<void> {
  const status = await statusOf(site);
  const wantedNow = conditionsOf(status, await siteNames(db));
  const wanted = new Map(wantedNow.map((c) => [`${c.subject}/${c.state}`, c]));
  const open = await select<Open>(db, 'SELECT id, subject, state, factor FROM conditions WHERE to_ms IS NULL');
  const over = open.filter((c) => {
    const key = `${c.subject}/${c.state}`;
    return wanted.get(key)?.factor !== c.factor || !wanted.delete(key);
  });
  // Nearly every look finds what the one before did.
  if (over.length || wanted.size)
    await inTransaction(db, async (tx) => {
      for (const { id } of over)
        await execute(db, 'UPDATE conditions SET to_ms = ? WHERE id = ? AND to_ms IS NULL', [nowMs, id], tx);
      for (const c of wanted.values())
        await execute(
          db,
          'INSERT IGNORE INTO conditions (subject, state, factor, from_ms) VALUES (?, ?, ?, ?)',
          [c.subject, c.state, c.factor, nowMs],
          tx,
        );
      await tryAgain(db, healed(over, wantedNow), nowMs, tx);
    });
  await noteSpace(db, status, nowMs);
  await throttleLinks(db, site, status);
}

/** Links and sites that stopped runs and do so no more. */
function healed(over: readonly Open[], present: ReturnType<typeof conditionsOf>): string[] {
  const stops = (state: string): boolean => state === 'down' || state === 'no-answer';
  const stopped = new Set(present.filter((c) => stops(c.state)).map((c) => c.subject));
  return over.filter((c) => stops(c.state) && !stopped.has(c.subject)).map((c) => c.subject);
}

/** What waits for its next try because of these is tried at once; slots say how many go at the same time. */
async function tryAgain(db: Database, subjects: readonly string[], nowMs: EpochMs, tx: Tx): Promise<void> {
  if (!subjects.length) return;
  await execute(
    db,
    `UPDATE runs SET not_before_ms = ? WHERE state = 'waiting' AND not_before_ms > ? AND cause_subject IN (?)`,
    [nowMs, nowMs, subjects],
    tx,
  );
}

/** Tells the sites what their links may carry at which hours, where they do not know it yet. */
async function throttleLinks(db: Database, site: SiteController, status: FleetStatus): Promise<void> {
  const links = await select<{ id: number; throttles: string | readonly Throttle[] }>(
    db,
    'SELECT id, throttles FROM links',
  );
  for (const link of links) {
    const wanted = parseJson<readonly Throttle[]>(link.throttles);
    const told = status.links.find(({ id }) => id === link.id)?.throttles;
    if (told && !isDeepStrictEqual(told, wanted)) await site.throttle(link.id, wanted);
  }
}

/** A controller that does not answer is an answer: none of its sites was heard. */
async function statusOf(site: SiteController): Promise<FleetStatus> {
  try {
    return await site.status();
  } catch (error) {
    if (!(error instanceof ControllerError)) throw error;
    return {
      sitesUp: [],
      links: [],
      repositories: [],
      datastores: [],
      defaultPasswords: [],
      wrongClocks: [],
      movingDisks: [],
    };
  }
}

/** What each place uses now; of every hour the first reading stays, so that the past shows nothing early. */
async function noteSpace(db: Database, status: FleetStatus, nowMs: EpochMs): Promise<void> {
  const hourMs = Math.floor(nowMs / HOUR) * HOUR;
  const used = status.repositories.map((repository) => [repository.id, repository.usedBytes]);
  await updateMany(db, 'repositories', ['id'], ['used_bytes'], used);
  const sample = (kind: string) => (p: FleetStatus['repositories'][number]) => [kind, p.id, hourMs, p.usedBytes];
  const samples = [...status.repositories.map(sample('repository')), ...status.datastores.map(sample('datastore'))];
  const columns = ['place_kind', 'place_id', 'at_ms', 'used_bytes'];
  await insertMany(db, 'place_space', columns, samples, undefined, 'INSERT IGNORE');
}

async function siteNames(db: Database): Promise<string[]> {
  return (await select<{ name: string }>(db, 'SELECT name FROM sites')).map((row) => row.name);
}

export type ConditionState = 'no-answer' | 'down' | 'slow' | 'default-password' | 'wrong-clock' | 'disks-moving';

export function conditionsOf(
  status: FleetStatus,
  sites: readonly string[],
): Array<{ readonly subject: string; readonly state: ConditionState; readonly factor: number | null }> {
  const silent = sites.filter((name) => !status.sitesUp.includes(name));
  const links = status.links.filter((link) => link.factor < SLOW_BELOW);
  return [
    ...silent.map((subject) => ({ subject, state: 'no-answer' as const, factor: null })),
    ...links.map((l) => ({
      subject: l.name,
      state: l.factor === 0 ? ('down' as const) : ('slow' as const),
      factor: l.factor,
    })),
    ...status.defaultPasswords.map((subject) => ({ subject, state: 'default-password' as const, factor: null })),
    ...status.wrongClocks.map((subject) => ({ subject, state: 'wrong-clock' as const, factor: null })),
    ...status.movingDisks.map((subject) => ({ subject, state: 'disks-moving' as const, factor: null })),
  ];
}
