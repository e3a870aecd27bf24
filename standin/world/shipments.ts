/** First full copies that travel on a disk: written at the source, sent, read in at the place. */
import { DAY, type EpochMs } from '@/core/units';
import type { CopyStore } from '@/standin/world/copies';

interface Shipment {
  readonly place: string;
  readonly workloadId: number;
  readonly takenMs: EpochMs;
  readonly diskIds: readonly number[];
  readonly arrivesMs: EpochMs;
}

/** Writing, the way and reading in: common practice, no source. */
const SHIPPING_MS = 2 * DAY;

export class Shipments {
  private readonly onTheWay = new Map<string, Shipment>();

  constructor(private readonly copies: CopyStore) {}

  /**
   * Sends what a workload has to a place, unless it is on its way or something of it is there; returns when it is, or
   * was, read in. What has arrived serves as the ground of the first copy and goes with it.
   */
  send(what: Omit<Shipment, 'arrivesMs'>, nowMs: EpochMs): EpochMs {
    const { place, workloadId } = what;
    if (this.copies.before(place, workloadId, nowMs)) return nowMs;
    const key = `${place}/${workloadId}`;
    const known = this.onTheWay.get(key);
    if (known && known.arrivesMs <= nowMs) {
      this.onTheWay.delete(key);
      const { takenMs, diskIds } = known;
      this.copies.add(place, {
        key: `shipped.${workloadId}`,
        workloadId,
        takenMs,
        diskIds,
        rottenBlocks: [],
        shipped: true,
      });
      return nowMs;
    }
    if (!known) this.onTheWay.set(key, { ...what, arrivesMs: nowMs + SHIPPING_MS });
    return known?.arrivesMs ?? nowMs + SHIPPING_MS;
  }

  /** As plain data. */
  inFlight(): Shipment[] {
    return [...this.onTheWay.values()];
  }

  /** Takes up what `inFlight` gave, after a restart. */
  restore(shipments: readonly Shipment[]): void {
    for (const shipment of shipments) this.onTheWay.set(`${shipment.place}/${shipment.workloadId}`, shipment);
  }
}
