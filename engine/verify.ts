/**
 * Verification after the writing: points are read back, the oldest first and a few at a time. One that differs from the
 * digest of its source is bad from that moment on; what shares its place is read at once, since a block is stored once.
 * A bad point is repaired from a good one of the same content elsewhere, and read back again before it counts.
 */
import { DAY, type EpochMs } from '@/core/units';
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import type { Database } from '@/store/database';
import {
  badPoints,
  markBad,
  markRepaired,
  noteReadBack,
  oldestVerified,
  pointsBeside,
  twinsOf,
  type ReadablePoint,
} from '@/store/verification';

/** Points read back in one look, and how long one is not looked at again. */
const A_LOOK = 40;
const AGAIN_MS = 7 * DAY;

export type Verdict = 'good' | 'rotten' | 'missing' | 'no-answer';

/** One look: reads back what is due, then tries to repair what is bad. Returns the points found bad. */
export async function readBackDue(db: Database, site: SiteController, nowMs: EpochMs): Promise<number[]> {
  const found: number[] = [];
  const good: number[] = [];
  const silent = new Set<string>();
  const seen = new Set<number>();
  const queue = await oldestVerified(db, nowMs - AGAIN_MS, A_LOOK);
  for (let point = queue.shift(); point; point = queue.shift()) {
    const place = `${point.place_kind}:${point.place_id}`;
    if (silent.has(place) || seen.has(point.id)) continue;
    seen.add(point.id);
    const verdict = await readBack(site, point);
    if (verdict === 'good') good.push(point.id);
    else if (verdict === 'no-answer') silent.add(place);
    else {
      await markBad(db, [point], verdict, nowMs);
      found.push(point.id);
      if (verdict === 'rotten') queue.unshift(...(await pointsBeside(db, point)));
    }
  }
  await noteReadBack(db, good, nowMs);
  for (const point of await badPoints(db)) await repair(db, site, point, nowMs);
  return found;
}

/** Asks a place for one of its points. */
export async function readBack(site: SiteController, point: ReadablePoint): Promise<Verdict> {
  try {
    const { digest } = await site.verifyCopy(placeOf(point), point.copy_key);
    return digest === point.digest ? 'good' : 'rotten';
  } catch (error) {
    if (!(error instanceof ControllerError)) throw error;
    return error.code === 'unknown-subject' ? 'missing' : 'no-answer';
  }
}

/** A place that does not answer or cannot be written is tried again at the next look. */
async function repair(db: Database, site: SiteController, point: ReadablePoint, nowMs: EpochMs): Promise<void> {
  // Mended with a neighbour that shares the block: nothing has to be sent.
  if ((await readBack(site, point)) === 'good') return markRepaired(db, point, nowMs);
  for (const twin of await twinsOf(db, point)) {
    try {
      await site.repairCopy(copyOf(point), copyOf(twin));
    } catch (error) {
      if (!(error instanceof ControllerError)) throw error;
      continue;
    }
    if ((await readBack(site, point)) === 'good') return markRepaired(db, point, nowMs);
  }
}

const placeOf = (p: ReadablePoint) => ({ kind: p.place_kind, id: p.place_id });
const copyOf = (p: ReadablePoint) => ({ ...placeOf(p), copyKey: p.copy_key });
