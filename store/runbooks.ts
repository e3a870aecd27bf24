/** Runbooks, drills and their records. */
import type { RunbookPlan } from '@/core/recover/runbook';
import type { EpochMs } from '@/core/units';
import { execute, inTransaction, insertMany, select, selectOne, type Database } from '@/store/database';
import { USABLE_AT } from '@/store/good';
import { parseJson } from '@/store/schedules';

export interface RunbookRow {
  id: number;
  name: string;
  application_id: number;
  source_site_id: number;
  target_site_id: number;
  plan: RunbookPlan;
}

export async function runbookById(db: Database, id: number): Promise<RunbookRow | null> {
  const row = await selectOne<RunbookRow>(db, 'SELECT * FROM runbooks WHERE id = ?', [id]);
  return row ? { ...row, plan: parseJson(row.plan) } : null;
}

export interface SitePoint {
  id: number;
  workload_id: number;
  place_kind: 'datastore' | 'repository';
  place_id: number;
  copy_key: string;
  taken_ms: EpochMs;
  usable_ms: EpochMs;
  digest: string;
  disks: ReadonlyArray<{ readonly diskId: number; readonly digest: string }>;
}

/** Newest point of each workload that was usable at a site at `atMs` and taken no later than `takenBeforeMs`. */
export async function usablePointsAt(
  db: Database,
  siteId: number,
  workloadIds: readonly number[],
  atMs: EpochMs,
  takenBeforeMs: EpochMs,
): Promise<Map<number, SitePoint>> {
  const found = new Map<number, SitePoint>();
  for (const workloadId of workloadIds) {
    const row = await selectOne<SitePoint>(
      db,
      `SELECT id, workload_id, place_kind, place_id, copy_key, taken_ms, usable_ms, digest, disks FROM points p
        WHERE p.workload_id = :workloadId AND p.site_id = :siteId AND p.taken_ms <= :takenBeforeMs AND p.marked_ms IS NULL
          AND ${USABLE_AT} ORDER BY taken_ms DESC LIMIT 1`,
      { workloadId, siteId, takenBeforeMs, at: atMs },
    );
    if (row) found.set(workloadId, { ...row, disks: parseJson(row.disks) });
  }
  return found;
}

export async function testNetworkOf(db: Database, siteId: number): Promise<number | null> {
  const row = await selectOne<{ id: number }>(
    db,
    'SELECT id FROM networks WHERE site_id = ? AND is_test ORDER BY id LIMIT 1',
    [siteId],
  );
  return row?.id ?? null;
}

export interface WaitingDrill {
  id: number;
  runbook_id: number;
  point_in_time_ms: EpochMs | null;
  started_ms: EpochMs | null;
}

/** How long a drill's lease lasts without a heartbeat, in ms of real time. */
const DRILL_LEASE_MS = 15_000;

/** Claims drills that wait, or whose engine is gone. */
export async function claimDrills(db: Database, owner: string, nowMs: EpochMs): Promise<WaitingDrill[]> {
  const open = await select(
    db,
    `SELECT 1 FROM drills WHERE state = 'waiting' OR (state IN ('running','cleaning') AND lease_real_ms < ?) LIMIT 1`,
    [Date.now()],
  );
  if (!open.length) return [];
  return inTransaction(db, async (tx) => {
    const waiting = await select<WaitingDrill>(
      db,
      `SELECT id, runbook_id, point_in_time_ms, started_ms FROM drills
        WHERE state = 'waiting' OR (state IN ('running','cleaning') AND lease_real_ms < ?) LIMIT 4 FOR UPDATE SKIP LOCKED`,
      [Date.now()],
      tx,
    );
    for (const drill of waiting)
      await execute(
        db,
        `UPDATE drills SET state = 'running', owner = ?, lease_real_ms = ?, started_ms = COALESCE(started_ms, ?) WHERE id = ?`,
        [owner, Date.now() + DRILL_LEASE_MS, nowMs, drill.id],
        tx,
      );
    return waiting.map((drill) => ({ ...drill, started_ms: drill.started_ms ?? nowMs }));
  });
}

/** Renews the leases of drills that an engine has in hand; says which of them are its own still, and which are to be cancelled. */
export async function renewDrills(
  db: Database,
  owner: string,
  inHand: readonly number[],
): Promise<{ readonly held: ReadonlySet<number>; readonly cancelled: readonly number[] }> {
  const fence = `id IN (?) AND owner = ? AND state IN ('running','cleaning')`;
  await execute(db, `UPDATE drills SET lease_real_ms = ? WHERE ${fence}`, [Date.now() + DRILL_LEASE_MS, inHand, owner]);
  const rows = await select<{ id: number; cancel_requested: number }>(
    db,
    `SELECT id, cancel_requested FROM drills WHERE ${fence}`,
    [inHand, owner],
  );
  return {
    held: new Set(rows.map((row) => row.id)),
    cancelled: rows.filter((row) => row.cancel_requested).map((row) => row.id),
  };
}

export async function recordDrillProgress(
  db: Database,
  drillId: number,
  owner: string,
  members: unknown,
  lines: ReadonlyArray<{ atMs: EpochMs; text: string }>,
): Promise<void> {
  await execute(db, 'UPDATE drills SET progress = ? WHERE id = ? AND owner = ?', [
    JSON.stringify(members),
    drillId,
    owner,
  ]);
  await insertMany(
    db,
    'drill_lines',
    ['drill_id', 'at_ms', 'text'],
    lines.map((line) => [drillId, line.atMs, line.text.slice(0, 300)]),
  );
}

/**
 * The record of a drill: written once, with the state it ends in, and with the proof of its workloads. Nothing is written of
 * one that is another engine's by now.
 */
export function settleDrill(
  db: Database,
  drillId: number,
  owner: string,
  record: {
    readonly outcome: 'passed' | 'failed' | 'cancelled';
    readonly endedMs: EpochMs;
    readonly members: ReadonlyArray<{ readonly workloadId: number }>;
  },
): Promise<void> {
  return inTransaction(db, async (tx) => {
    if (record.outcome === 'passed')
      await execute(
        db,
        `UPDATE workloads SET last_passed_drill_ms = ? WHERE id IN (?)
           AND EXISTS (SELECT 1 FROM drills d WHERE d.id = ? AND d.owner = ? AND d.record IS NULL)`,
        [record.endedMs, record.members.map((m) => m.workloadId), drillId, owner],
        tx,
      );
    await execute(
      db,
      `UPDATE drills SET state = ?, ended_ms = ?, record = ?, progress = NULL, owner = NULL, lease_real_ms = NULL WHERE id = ? AND owner = ? AND record IS NULL`,
      [record.outcome, record.endedMs, JSON.stringify(record), drillId, owner],
      tx,
    );
  });
}
