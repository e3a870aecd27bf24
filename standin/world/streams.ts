/**
 * Streams: every write of a machine is sent on as it happens and kept in a journal, so that each second inside its
 * spans can be had. A stream takes its fair share of the lines like any transfer; what does not fit through waits in a
 * staging buffer at the source. While that holds, no second is lost, only late; once it overflows only the blocks that
 * changed are known, and the journal has a gap.
 */
import { GIB, MINUTE, SECOND, type DurationMs, type EpochMs } from '@/core/units';
import type { DiskContent } from '@/standin/world/content';
import type { EstatePlace } from '@/standin/world/estate';
import type { Transfers } from '@/standin/world/transfers';

export interface StreamSpan {
  fromMs: EpochMs;
  toMs: EpochMs;
}
export interface Stream {
  readonly key: string;
  readonly workloadId: number;
  readonly fromSiteId: number;
  readonly place: EstatePlace;
  readonly diskIds: readonly number[];
  readonly journalMs: DurationMs;
  /** Bytes on the line for one byte that was written. */
  readonly wireShare: number;
  /** Newest instant that is complete at the place. */
  throughMs: EpochMs;
  /** What can be had of it, the oldest first. */
  spans: StreamSpan[];
  /** Bytes on the line that arrived since `throughMs`. */
  arrivedBytes: number;
  overflowed: boolean;
}

/** From a write to its being in the journal far away, where nothing holds it back: common practice, no source. */
const TRAVEL_MS = 2 * SECOND;
/** A stream that is further behind than this is said to be behind. */
const BEHIND_MS = MINUTE;
const STAGING_BYTES = 50 * GIB;
/** In each such stretch a journal keeps one version of a block, the last: what it takes is computed so, in ms. */
const JOURNAL_SLICE_MS = 10 * MINUTE;
/** A stream that keeps up asks for no more of the line than this multiple of what was written of late. */
const HEADROOM = 4;
const LEAST_DEMAND_BPS = 1e6;

export class Streams {
  readonly byKey = new Map<string, Stream>();
  private carriedMs: EpochMs = -1;

  constructor(
    private readonly transfers: Transfers,
    private readonly disk: (id: number) => DiskContent,
  ) {}

  open(stream: Omit<Stream, 'spans' | 'arrivedBytes' | 'overflowed'>): void {
    if (this.byKey.has(stream.key)) return;
    const spans = [{ fromMs: stream.throughMs, toMs: stream.throughMs }];
    const opened = { ...stream, spans, arrivedBytes: 0, overflowed: false };
    this.byKey.set(stream.key, opened);
    this.carry(opened, this.transfers.nowMs);
  }

  close(key: string): void {
    this.byKey.delete(key);
    this.transfers.stopFlow(key);
  }

  /** Carries every stream to the present; the lines are there already, and hold what arrived since. */
  advance(): void {
    const { nowMs } = this.transfers;
    if (nowMs === this.carriedMs) return;
    this.carriedMs = nowMs;
    for (const stream of this.byKey.values()) this.carry(stream, nowMs);
  }

  /** What holds a stream up, or null. */
  obstacle({ fromSiteId, place }: Stream) {
    return this.transfers.obstacle(fromSiteId, place.siteId);
  }

  /** The newest instant at or before `atMs` that is in the journal; null if it holds none. */
  instantAt({ spans, throughMs }: Stream, atMs: EpochMs): EpochMs | null {
    const wanted = Math.min(atMs, throughMs);
    return spans.some(({ fromMs, toMs }) => wanted >= fromMs && wanted <= toMs) ? wanted : null;
  }

  /** Bytes that the journals at a datastore take. O(spans / slice x active blocks). */
  journalBytes(datastoreId: number): number {
    let bytes = 0;
    for (const stream of this.byKey.values())
      if (stream.place.id === datastoreId)
        for (const { fromMs, toMs } of stream.spans)
          for (let at = fromMs; at < toMs; at += JOURNAL_SLICE_MS)
            bytes += this.written(stream, at, Math.min(toMs, at + JOURNAL_SLICE_MS));
    return Math.round(bytes);
  }

  list() {
    this.advance();
    const { nowMs } = this.transfers;
    return [...this.byKey.values()].map((stream) => ({
      key: stream.key,
      workloadId: stream.workloadId,
      place: { kind: stream.place.kind, id: stream.place.id },
      state: this.obstacle(stream)
        ? ('broken' as const)
        : nowMs - stream.throughMs > BEHIND_MS
          ? ('behind' as const)
          : ('flowing' as const),
      throughMs: stream.throughMs,
      spans: stream.spans,
      behindBytes: Math.round(Math.max(0, this.written(stream, stream.throughMs, nowMs) - stream.arrivedBytes)),
      rateBps: Math.round(this.transfers.flow(stream.key)?.rateBps ?? 0),
    }));
  }

  /** As plain data. */
  inFlight(): Stream[] {
    return [...this.byKey.values()].map((stream) => ({
      ...stream,
      arrivedBytes: stream.arrivedBytes + (this.transfers.flow(stream.key)?.sentBytes ?? 0),
    }));
  }

  /** Takes up what `inFlight` gave, after a restart. */
  restore(streams: readonly Stream[]): void {
    for (const stream of streams) this.byKey.set(stream.key, { ...stream });
    this.advance();
  }

  private carry(stream: Stream, nowMs: EpochMs): void {
    const { key, journalMs } = stream;
    const arrived = stream.arrivedBytes + (this.transfers.flow(key)?.sentBytes ?? 0);
    const waiting = this.written(stream, stream.throughMs, nowMs);
    // What cannot be heard is not known to be at rest: a stream that is held up stays where it is.
    const held = this.obstacle(stream) !== null;
    const caughtUp = !held && arrived >= waiting;
    // Nor is what arrives without its order a state: after an overflow it counts once all of it is there.
    if (waiting - arrived > STAGING_BYTES) stream.overflowed = true;
    const stands = held || (stream.overflowed && !caughtUp);
    const throughMs = stands
      ? stream.throughMs
      : caughtUp
        ? Math.max(stream.throughMs, nowMs - TRAVEL_MS)
        : this.reached(stream, arrived, nowMs - TRAVEL_MS);
    stream.arrivedBytes = caughtUp ? 0 : arrived - this.written(stream, stream.throughMs, throughMs);
    if (throughMs > stream.throughMs) this.extend(stream, throughMs);
    stream.throughMs = throughMs;
    const oldest = throughMs - journalMs;
    stream.spans = stream.spans.filter((span) => span.toMs >= oldest);
    for (const span of stream.spans) span.fromMs = Math.max(span.fromMs, oldest);
    const lately = (this.written(stream, nowMs - 10 * MINUTE, nowMs) * 8000) / (10 * MINUTE);
    const demand = caughtUp ? Math.max(LEAST_DEMAND_BPS, HEADROOM * lately) : Infinity;
    this.transfers.startFlow(key, stream.fromSiteId, stream.place, demand);
  }

  private extend(stream: Stream, throughMs: EpochMs): void {
    const last = stream.spans.at(-1);
    if (last && !stream.overflowed) last.toMs = throughMs;
    else stream.spans.push({ fromMs: throughMs, toMs: throughMs });
    stream.overflowed = false;
  }

  /** Newest instant whose writes are within `bytes`, to the second. O(log span). */
  private reached(stream: Stream, bytes: number, untilMs: EpochMs): EpochMs {
    let low = stream.throughMs;
    let high = Math.max(low, untilMs);
    while (high - low > SECOND) {
      const middle = Math.floor((low + high) / 2);
      if (this.written(stream, stream.throughMs, middle) <= bytes) low = middle;
      else high = middle;
    }
    return low;
  }

  /** Bytes on the line for what was written in a stretch. */
  private written({ diskIds, wireShare }: Stream, fromMs: EpochMs, toMs: EpochMs): number {
    if (toMs <= fromMs) return 0;
    const bytes = diskIds.reduce((sum, id) => {
      const disk = this.disk(id);
      return sum + disk.changedBlocks(fromMs, toMs) * disk.extentBytes;
    }, 0);
    return bytes * wireShare;
  }
}
