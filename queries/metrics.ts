/** What a monitoring system reads: the state of the whole as Prometheus text, counted from the database at each reading. */
import { Counter, Gauge, Registry } from 'prom-client';
import type { EpochMs } from '@/core/units';
import { standings } from '@/queries/standing';
import { select, type Database } from '@/store/database';

/** Prometheus text (exposition format 0.0.4, by the library). */
export async function metricsText(db: Database, nowMs: EpochMs): Promise<string> {
  const registry = new Registry();
  const gauge = (name: string, help: string, labelNames: string[] = []) =>
    new Gauge({ name: `anchor_bay_${name}`, help, labelNames, registers: [registry] });
  const [list, runs, repositories, engines, bad, findings, misses, ended] = await Promise.all([
    standings(db, nowMs, true),
    select<{ state: string; n: number }>(
      db,
      `SELECT state, COUNT(*) n FROM runs WHERE state IN ('waiting', 'running') GROUP BY state`,
    ),
    select<{ name: string; used_bytes: number; capacity_bytes: number }>(
      db,
      'SELECT name, used_bytes, capacity_bytes FROM repositories',
    ),
    select<{ n: number }>(db, 'SELECT COUNT(*) n FROM engines WHERE beat_real_ms > ?', [Date.now() - 30_000]),
    select<{ n: number }>(
      db,
      'SELECT COUNT(*) n FROM points WHERE bad_ms IS NOT NULL AND repaired_ms IS NULL AND gone_ms IS NULL',
    ),
    select<{ kind: string; n: number }>(db, 'SELECT kind, COUNT(*) n FROM findings WHERE to_ms IS NULL GROUP BY kind'),
    select<{ n: number }>(db, 'SELECT COUNT(*) n FROM misses WHERE to_ms IS NULL'),
    select<{ state: string; n: number }>(
      db,
      `SELECT state, COUNT(*) n FROM runs WHERE state IN ('succeeded', 'failed', 'cancelled', 'missed') GROUP BY state`,
    ),
  ]);
  const standing = gauge('workloads', 'Workloads by how their exposure stands against their RPO', ['standing']);
  for (const state of ['over', 'closing', 'inside'])
    standing.set({ standing: state }, list.filter((w) => w.standing === state).length);
  gauge('workloads_unproven', 'Workloads without a passed drill in their interval').set(
    list.filter((w) => w.unproven).length,
  );
  const exposed = list.flatMap((w) => (w.exposureMs === null ? [] : [w.exposureMs / 1000]));
  gauge('exposure_worst_seconds', 'Largest exposure of any workload that has a point').set(Math.max(0, ...exposed));
  const open = gauge('runs_open', 'Runs that wait or run', ['state']);
  for (const state of ['waiting', 'running']) open.set({ state }, runs.find((r) => r.state === state)?.n ?? 0);
  const total = new Counter({
    name: 'anchor_bay_runs_total',
    help: 'Runs that have ended',
    labelNames: ['state'],
    registers: [registry],
  });
  for (const { state, n } of ended) total.inc({ state }, n);
  const used = gauge('repository_used_bytes', 'Bytes in use', ['repository']);
  const capacity = gauge('repository_capacity_bytes', 'Bytes there are', ['repository']);
  for (const r of repositories) {
    used.set({ repository: r.name }, r.used_bytes);
    capacity.set({ repository: r.name }, r.capacity_bytes);
  }
  gauge('engines_alive', 'Engines heard of in the last 30 s').set(engines[0]?.n ?? 0);
  gauge('points_bad', 'Points that read back wrong or are missing, and are not repaired').set(bad[0]?.n ?? 0);
  gauge('misses_open', 'Workloads over their RPO for which a miss is open').set(misses[0]?.n ?? 0);
  const found = gauge('findings_open', 'Differences between places and the database', ['kind']);
  for (const kind of ['unknown', 'missing', 'snapshot'])
    found.set({ kind }, findings.find((f) => f.kind === kind)?.n ?? 0);
  return registry.metrics();
}
