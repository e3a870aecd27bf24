/**
 * Reconciliation: what lies at a place against what the database says lies there, both ways. Leftovers of our own runs
 * that have ended are deleted; what nobody here made is only reported; a point whose copy is gone is bad from now on.
 */
import { HOUR, type EpochMs } from '@/core/units';
import { ControllerError, type FoundCopy, type SiteController } from '@/connectors/site-controller';
import type { Database } from '@/store/database';
import { knownCopies, placeToReconcile, recordFindings, runStates, type Finding, type PlaceId } from '@/store/findings';
import { readBack } from '@/engine/verify';
import { markBad, type ReadablePoint } from '@/store/verification';

/** How often a place is looked at; one place a look. */
const EVERY_MS = 6 * HOUR;

/** Looks at the place that waits the longest, and at snapshots left on working disks. */
export async function reconcileDue(db: Database, site: SiteController, nowMs: EpochMs): Promise<void> {
  await leftSnapshots(db, site, nowMs);
  const place = await placeToReconcile(db, nowMs - EVERY_MS);
  if (place) await reconcile(db, site, place, nowMs);
}

export async function reconcile(db: Database, site: SiteController, place: PlaceId, nowMs: EpochMs): Promise<void> {
  let there: readonly FoundCopy[];
  try {
    there = await site.inventory(place);
  } catch (error) {
    if (!(error instanceof ControllerError)) throw error;
    await recordFindings(db, place, [], nowMs, { copies: 0, failure: error.message });
    return;
  }
  // Read after the inventory, so that what came between is no stranger.
  const known = await knownCopies(db, place);
  const strangers = there.filter((copy) => !known.has(copy.copyKey));
  const unknown = await afterOwnLeftovers(db, site, place, strangers);
  const lying = new Set(there.map((copy) => copy.copyKey));
  // A copy that was completed after the inventory is no loss: each absent one is asked for by itself.
  const absent: ReadablePoint[] = [];
  for (const point of known.values())
    if (!lying.has(point.copy_key) && (await readBack(site, point)) === 'missing') absent.push(point);
  const bad = absent.length ? await markBad(db, absent, 'missing', nowMs) : new Set<number>();
  const lost = absent.filter((point) => bad.has(point.id));
  const found: Finding[] = [
    ...unknown.map((copy) => ({
      kind: 'unknown' as const,
      copyKey: copy.copyKey,
      workloadId: copy.workloadId,
      pointId: null,
      takenMs: copy.takenMs,
      detail: 'It lies there, and no point of ours stands for it.',
    })),
    ...lost.map((point) => ({
      kind: 'missing' as const,
      copyKey: point.copy_key,
      workloadId: point.workload_id,
      pointId: point.id,
      takenMs: point.taken_ms,
      detail: 'The point should lie there and does not.',
    })),
  ];
  await recordFindings(db, place, found, nowMs, { copies: there.length, failure: null });
}

/** Run that made a copy or snapshot, by its key; null: the key is not ours. */
export function runOfKey(key: string): number | null {
  const match = /^[cs](\d+)\.\d+$/.exec(key);
  return match ? Number(match[1]) : null;
}

const ENDED: ReadonlySet<string> = new Set(['succeeded', 'failed', 'cancelled', 'missed']);

/** Deletes what runs that have ended left behind; returns what is none of ours. */
async function afterOwnLeftovers(
  db: Database,
  site: SiteController,
  place: PlaceId,
  strangers: readonly FoundCopy[],
): Promise<readonly FoundCopy[]> {
  if (!strangers.length) return [];
  const states = await runStates(
    db,
    strangers.flatMap((copy) => runOfKey(copy.copyKey) ?? []),
  );
  const stateOf = (copy: FoundCopy): string | undefined => states.get(runOfKey(copy.copyKey) ?? 0);
  const ended = strangers.filter((copy) => ENDED.has(stateOf(copy) ?? ''));
  // A success between the inventory and the reading of runs made a point of its copy: that one stays.
  const points = await knownCopies(db, place);
  const leftovers = ended.filter((copy) => !points.has(copy.copyKey));
  const kept = await remaining(site, place, leftovers);
  return [...strangers.filter((copy) => stateOf(copy) === undefined), ...kept];
}

/** Deletes copies; what the place does not let go (it may be locked) is left and reported. */
async function remaining(site: SiteController, place: PlaceId, copies: readonly FoundCopy[]): Promise<FoundCopy[]> {
  const kept: FoundCopy[] = [];
  for (const copy of copies)
    try {
      await site.deleteCopy({ ...place, copyKey: copy.copyKey });
    } catch (error) {
      if (!(error instanceof ControllerError)) throw error;
      kept.push(copy);
    }
  return kept;
}

/** Snapshots that no run needs any more: removed, or reported where they cannot be. */
async function leftSnapshots(db: Database, site: SiteController, nowMs: EpochMs): Promise<void> {
  const snapshots = await site.snapshots().catch((error: unknown) => {
    if (!(error instanceof ControllerError)) throw error;
    return null;
  });
  if (!snapshots) return;
  const states = await runStates(
    db,
    snapshots.flatMap((snapshot) => runOfKey(snapshot.key) ?? []),
  );
  const found: Finding[] = [];
  for (const snapshot of snapshots) {
    const state = states.get(runOfKey(snapshot.key) ?? 0);
    if (state !== undefined && !ENDED.has(state)) continue;
    const detail = state === undefined ? 'No run of ours made it.' : await removal(site, snapshot.key);
    if (detail === null) continue;
    const { key, workloadId, takenMs } = snapshot;
    found.push({ kind: 'snapshot', copyKey: key, workloadId, pointId: null, takenMs, detail });
  }
  await recordFindings(db, null, found, nowMs, { copies: snapshots.length, failure: null });
}

/** Null if it is gone, else why not. */
async function removal(site: SiteController, key: string): Promise<string | null> {
  try {
    await site.releaseSnapshot(key);
    return null;
  } catch (error) {
    if (!(error instanceof ControllerError)) throw error;
    return error.message;
  }
}
