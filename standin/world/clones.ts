/** Machines started from copies, in a test network: clone, boot, checks, content, removal. */
import { CAUSES } from '@/core/protect/cause';
import type { EpochMs } from '@/core/units';
import { chance } from '@/standin/world/content';
import type { Copy } from '@/standin/world/copies';
import type { World } from '@/standin/world/world';
import { WorldRefusal } from '@/standin/world/refusal';

export type CheckKind = 'ping' | 'port' | 'query';

export interface Clone {
  readonly key: string;
  readonly placeKind: 'datastore' | 'repository';
  readonly placeId: number;
  readonly copyKey: string;
  readonly networkId: number;
  readonly address: string;
  readonly readyMs: EpochMs;
  bootedMs: EpochMs | null;
}

/** Seconds that each check takes once the service answers: common practice, no source. */
const CHECK_SECONDS: Readonly<Record<CheckKind, number>> = { ping: 2, port: 5, query: 25 };

export class CloneYard {
  readonly clones = new Map<string, Clone>();

  constructor(private readonly world: World) {}

  create(request: Omit<Clone, 'readyMs' | 'bootedMs'>): Clone {
    const known = this.clones.get(request.key);
    if (known) return known;
    const place = this.world.place({ kind: request.placeKind, id: request.placeId });
    this.world.requireSite(place.siteId);
    const copy = this.copyOf(request);
    const inUse = [...this.clones.values()].find(
      (c) => c.networkId === request.networkId && c.address === request.address,
    );
    if (inUse) throw new WorldRefusal('drill-network', request.address, 'The address is in use in this network.');
    const seconds = (place.kind === 'datastore' ? 15 : 60) + chance(copy.workloadId, 3) * 30;
    const clone: Clone = { ...request, readyMs: this.world.nowMs + Math.round(seconds * 1000), bootedMs: null };
    this.clones.set(clone.key, clone);
    return clone;
  }

  boot(key: string): EpochMs {
    const clone = this.require(key);
    if (clone.bootedMs === null) {
      const workload = this.world.workload(this.copyOf(clone).workloadId);
      const slow = this.world.faults.has('slow-boot', workload.name) ? 4 : 1;
      const jitter = 0.9 + chance(workload.id, this.world.nowMs & 0xffff) * 0.25;
      clone.bootedMs =
        Math.max(this.world.nowMs, clone.readyMs) + Math.round(workload.bootSeconds * slow * jitter * 1000);
    }
    return clone.bootedMs;
  }

  /** The instant at which a check passes; a failing one is refused with what was seen. */
  check(key: string, kind: CheckKind): { passedMs: EpochMs; detail: string } {
    const clone = this.require(key);
    const copy = this.copyOf(clone);
    const workload = this.world.workload(copy.workloadId);
    if (clone.bootedMs === null || clone.bootedMs > this.world.nowMs)
      throw new WorldRefusal('check-failed', workload.name, `${kind}: no answer, the machine has not booted.`);
    if (kind !== 'ping' && this.world.faults.has('check-fails', workload.name))
      throw new WorldRefusal('check-failed', workload.name, `${kind}: the service did not start within 10 min.`);
    const service = kind === 'ping' ? 0 : kind === 'port' ? workload.serviceSeconds : 0;
    const passedMs = this.world.nowMs + Math.round((service + CHECK_SECONDS[kind]) * 1000);
    const newest = new Date(copy.takenMs).toISOString();
    const detail = kind === 'query' ? `newest row ${newest}` : kind === 'port' ? 'service port answers' : 'answers';
    return { passedMs, detail };
  }

  digest(key: string): string {
    return this.world.reading.digestFromScratch(this.copyOf(this.require(key)));
  }

  /** Takes up a clone after a restart. */
  restore(clone: Clone): void {
    this.clones.set(clone.key, clone);
  }

  remove(key: string): void {
    this.clones.delete(key);
  }

  private copyOf(clone: Pick<Clone, 'placeKind' | 'placeId' | 'copyKey'>): Copy {
    return this.world.requireCopy({ kind: clone.placeKind, id: clone.placeId }, clone.copyKey);
  }

  private require(key: string): Clone {
    const clone = this.clones.get(key);
    if (!clone) throw new WorldRefusal('unknown-subject', `clone ${key}`, CAUSES['unknown-subject'].remedy);
    return clone;
  }
}
