/** Takes up drills, carries them out and writes their records: the shell around rehearse.ts. */
import type { DrillRecord, MemberResult } from '@/core/recover/drill-record';
import { membersOf } from '@/core/recover/runbook';
import type { EpochMs } from '@/core/units';
import type { SiteController } from '@/connectors/site-controller';
import { rehearse, type DrillContext, type DrillJob } from '@/engine/drill/rehearse';
import { LostLease } from '@/engine/lost-lease';
import type { Waits } from '@/engine/waits';
import type { Database } from '@/store/database';
import {
  claimDrills,
  recordDrillProgress,
  renewDrills,
  runbookById,
  settleDrill,
  testNetworkOf,
  usablePointsAt,
  type WaitingDrill,
} from '@/store/runbooks';

interface Current {
  readonly abort: AbortController;
  members: readonly MemberResult[];
  lines: Array<{ atMs: EpochMs; text: string }>;
  record: DrillRecord | null;
}

export class DrillDesk {
  private readonly current = new Map<number, Current>();

  constructor(
    private readonly db: Database,
    private readonly owner: string,
    private readonly site: SiteController,
    private readonly waits: Waits,
    private readonly nowMs: () => EpochMs,
  ) {}

  get busy(): number {
    return this.current.size;
  }

  async takeUp(): Promise<void> {
    for (const drill of await claimDrills(this.db, this.owner, this.nowMs())) await this.begin(drill);
  }

  /** Writes progress and console lines, renews leases, hears who wants a drill cancelled, and settles what has ended. */
  async settle(): Promise<void> {
    if (!this.current.size) return;
    const { held, cancelled } = await renewDrills(this.db, this.owner, [...this.current.keys()]);
    for (const id of cancelled) this.current.get(id)?.abort.abort();
    for (const [id, drill] of this.current) {
      if (!held.has(id)) {
        this.current.delete(id);
        drill.abort.abort(new LostLease(`drill ${id}`));
        continue;
      }
      await recordDrillProgress(this.db, id, this.owner, drill.members, drill.lines.splice(0));
      if (!drill.record) continue;
      await settleDrill(this.db, id, this.owner, drill.record);
      this.current.delete(id);
    }
  }

  private async begin(drill: WaitingDrill): Promise<void> {
    const current: Current = { abort: new AbortController(), members: [], lines: [], record: null };
    // In hand from here on: if this throws, the drill is taken up anew once its lease is over.
    const job = await this.jobOf(drill);
    this.current.set(drill.id, current);
    const context: DrillContext = {
      site: this.site,
      nowMs: this.nowMs,
      sleepUntil: (atMs) => this.waits.sleepUntil(atMs),
      say: (atMs, text) => current.lines.push({ atMs, text }),
      onProgress: (members) => (current.members = members),
      signal: current.abort.signal,
    };
    const carryOut = async (): Promise<void> => {
      const record = await rehearse(job, context);
      current.record = record;
      context.say(record.endedMs, `Drill ${record.outcome}${record.reason ? `: ${record.reason}` : ''}`);
    };
    carryOut().catch((error: unknown) => {
      if (!(error instanceof LostLease)) throw error;
    });
  }

  private async jobOf(drill: WaitingDrill): Promise<DrillJob> {
    const runbook = await runbookById(this.db, drill.runbook_id);
    if (!runbook) throw new Error(`Drill ${drill.id} names runbook ${drill.runbook_id}, which is not there.`);
    const startedMs = drill.started_ms as EpochMs;
    const ids = membersOf(runbook.plan).map((m) => m.workloadId);
    const points = await usablePointsAt(
      this.db,
      runbook.target_site_id,
      ids,
      startedMs,
      drill.point_in_time_ms ?? startedMs,
    );
    const testNetworkId = await testNetworkOf(this.db, runbook.target_site_id);
    return {
      drillId: drill.id,
      plan: runbook.plan,
      testNetworkId: testNetworkId ?? 0,
      startedMs,
      points: new Map(
        [...points].map(([id, p]) => [
          id,
          {
            pointId: p.id,
            place: { kind: p.place_kind, id: p.place_id },
            copyKey: p.copy_key,
            takenMs: p.taken_ms,
            digest: p.digest,
          },
        ]),
      ),
    };
  }
}
