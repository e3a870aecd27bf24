/**
 * What is on its way between places: each transfer shares movers and links max-min fairly with the others, and becomes a
 * copy at its place when its bytes are there and its setup is over.
 */
import { MATHIS, lossLimitBps } from '@/core/flow/line-rate';
import { nextThrottleTurn, throttledRate, type Throttle } from '@/core/flow/throttle';
import { TransferSimulation } from '@/core/flow/transfers';
import type { CauseCode } from '@/core/protect/cause';
import type { LaneKind } from '@/core/protect/policy';
import { DAY, HOUR, type EpochMs } from '@/core/units';
import { chance } from '@/standin/world/content';
import type { Copy, CopyStore } from '@/standin/world/copies';
import { placeKey, type Estate, type EstateLink, type EstatePlace } from '@/standin/world/estate';
import type { Faults } from '@/standin/world/faults';
import { WorldRefusal } from '@/standin/world/refusal';

interface Transfer {
  readonly key: string;
  readonly workloadId: number;
  readonly fromSiteId: number;
  readonly place: EstatePlace;
  readonly copy: Copy;
  readonly totalBytes: number;
  /** null: no limit of its own. */
  readonly demandBps: number | null;
  /** Reading, opening and closing take at least until here, however fast the line is. */
  readonly notBeforeMs: EpochMs;
  readonly linkName: string | null;
  completedMs: EpochMs | null;
  storedBytes: number;
  failure: WorldRefusal | null;
}

export interface NewTransfer {
  readonly key: string;
  readonly kind: LaneKind;
  readonly fromSiteId: number;
  readonly place: EstatePlace;
  readonly copy: Copy;
  /** On the line. */
  readonly bytes: number;
  /** Most it can use of the line, in bits a second; Infinity: all. */
  readonly demandBps: number;
}

/** Fixed cost of a run besides its bytes, in ms: common practice, no source. */
const SETUP_MS: Readonly<Record<LaneKind, readonly [number, number]>> = {
  snapshot: [3_000, 9_000],
  replica: [12_000, 40_000],
  backup: [45_000, 150_000],
  copy: [20_000, 60_000],
  stream: [12_000, 40_000],
};
/** A line that loses packets: segment, loss, and streams that share it (common practice, no source). */
const LOSSY = { segmentBytes: 1460, loss: 0.01, roundTripSeconds: 0.02, streams: 16 } as const;

export class Transfers {
  private readonly byKey = new Map<string, Transfer>();
  private readonly lines: TransferSimulation;
  /** By number of the link. */
  private readonly throttles = new Map<number, readonly Throttle[]>();

  constructor(
    private readonly estate: Estate,
    private readonly faults: Faults,
    private readonly copies: CopyStore,
    atMs: EpochMs,
  ) {
    this.lines = new TransferSimulation(atMs, new Map());
    this.setCapacities();
  }

  get nowMs(): EpochMs {
    return this.lines.atMs;
  }

  /** Carries time forward; an instant in the past is ignored. What completed on the way is stored. */
  advance(toMs: EpochMs): void {
    // At least once: what was started with nothing to send completes at this very instant.
    do {
      const hourEnd = (Math.floor(this.nowMs / HOUR) + 1) * HOUR;
      const turn = this.nextTurn(Math.min(toMs, hourEnd));
      const until = Math.max(this.nowMs, Math.min(toMs, turn ?? hourEnd));
      for (const done of this.lines.advance(until)) this.complete(done.key, done.atMs);
      if (this.nowMs === hourEnd || this.nowMs === turn) this.setCapacities();
      if (this.nowMs === hourEnd) this.forgetLongDone();
    } while (this.nowMs < toMs);
  }

  /** True if this transfer goes on already: asking twice has one effect. */
  isUnderWay(key: string): boolean {
    const known = this.byKey.get(key);
    return known !== undefined && !known.failure;
  }

  start({ key, kind, fromSiteId, place, copy, bytes, demandBps }: NewTransfer): void {
    const link = this.linkBetween(fromSiteId, place.siteId);
    const obstacle = kind === 'snapshot' ? null : this.obstacle(fromSiteId, place.siteId);
    if (obstacle) throw obstacle;
    const [least, most] = SETUP_MS[kind];
    const setup = Math.round(least + chance(copy.workloadId, copy.takenMs & 0xffff) * (most - least));
    const transfer: Transfer = {
      key,
      workloadId: copy.workloadId,
      fromSiteId,
      place,
      copy,
      totalBytes: bytes,
      demandBps: demandBps === Infinity ? null : demandBps,
      notBeforeMs: this.nowMs + setup,
      linkName: link?.name ?? null,
      completedMs: null,
      storedBytes: 0,
      failure: null,
    };
    this.byKey.set(key, transfer);
    const way = kind === 'snapshot' ? [] : this.wayOf(fromSiteId, place);
    this.lines.start(key, way, bytes, { demand: demandBps });
  }

  /** Stops and forgets; an unknown one is no error. */
  cancel(key: string): void {
    this.lines.stop(key);
    this.byKey.delete(key);
  }

  /** Forgets a finished transfer; its copy stays. */
  forget(key: string): void {
    this.byKey.delete(key);
  }

  /** Who began these has gone, and nobody will ask. */
  private forgetLongDone(): void {
    for (const [key, { completedMs }] of this.byKey)
      if (completedMs !== null && completedMs < this.nowMs - DAY) this.byKey.delete(key);
  }

  progress(key: string) {
    const transfer = this.byKey.get(key);
    if (!transfer) throw new WorldRefusal('unknown-subject', key, 'The controller has no such transfer.');
    const line = this.lines.get(key);
    return {
      key,
      totalBytes: transfer.totalBytes,
      sentBytes: Math.round(line?.sentBytes ?? (transfer.completedMs === null ? 0 : transfer.totalBytes)),
      rateBps: Math.round(Math.min(line?.rateBps ?? 0, 1e15)),
      completedMs: transfer.completedMs !== null && transfer.completedMs <= this.nowMs ? transfer.completedMs : null,
      expectedMs: transfer.completedMs ?? (line ? this.expectedMs(transfer, line) : null),
      failure: transfer.failure ? asData(transfer.failure) : null,
    };
  }

  private expectedMs(
    { notBeforeMs }: Transfer,
    { totalBytes, sentBytes, rateBps }: { totalBytes: number; sentBytes: number; rateBps: number },
  ): EpochMs | null {
    if (rateBps <= 0) return null;
    return Math.max(notBeforeMs, this.nowMs + Math.ceil(((totalBytes - sentBytes) * 8000) / rateBps));
  }

  storedBytes(key: string): number {
    return this.byKey.get(key)?.storedBytes ?? 0;
  }

  /** Instant of the next completion, or null. */
  nextEventMs(): EpochMs | null {
    let next = this.lines.nextCompletionMs() ?? Infinity;
    for (const transfer of this.byKey.values())
      if (transfer.completedMs !== null && transfer.completedMs > this.nowMs)
        next = Math.min(next, transfer.completedMs);
    return next === Infinity ? null : next;
  }

  /** Breaks what a new fault breaks, and takes over what the lines now carry. */
  faultsChanged(): void {
    this.setCapacities();
    for (const transfer of this.byKey.values()) {
      if (transfer.completedMs !== null || transfer.failure) continue;
      const cut = transfer.linkName !== null && this.faults.has('link-cut', transfer.linkName);
      if (cut)
        this.fail(
          transfer,
          new WorldRefusal('link-down', transfer.linkName as string, 'The connection was reset while sending.'),
        );
      const mover = this.lines.get(transfer.key) && this.deadMover(transfer.fromSiteId, transfer.place.siteId);
      if (mover) this.fail(transfer, new WorldRefusal('mover-gone', mover, 'The mover ended while sending.'));
    }
  }

  /** What a link may carry at which hours. */
  throttle(linkId: number, throttles: readonly Throttle[]): void {
    this.throttles.set(linkId, throttles);
    this.setCapacities();
  }

  throttlesOf(linkId: number): readonly Throttle[] {
    return this.throttles.get(linkId) ?? [];
  }

  /** What keeps two sites from sending to each other, or null. */
  obstacle(fromSiteId: number, toSiteId: number): WorldRefusal | null {
    const link = this.linkBetween(fromSiteId, toSiteId);
    if (link && this.faults.has('link-cut', link.name))
      return new WorldRefusal('link-down', link.name, 'No route to the receiving mover.');
    const mover = this.deadMover(fromSiteId, toSiteId);
    return mover === undefined ? null : new WorldRefusal('mover-gone', mover, 'The mover does not take the work.');
  }

  /** A stream on the lines: begun anew with each call, so that its count begins at nothing. */
  startFlow(key: string, fromSiteId: number, place: EstatePlace, demandBps: number): void {
    this.stopFlow(key);
    const held = this.obstacle(fromSiteId, place.siteId) !== null;
    if (!held) this.lines.start(`flow:${key}`, this.wayOf(fromSiteId, place), Infinity, { demand: demandBps });
  }

  stopFlow(key: string): void {
    this.lines.stop(`flow:${key}`);
  }

  flow(key: string): { readonly sentBytes: number; readonly rateBps: number } | undefined {
    return this.lines.get(`flow:${key}`);
  }

  /** Share of its rate that a link carries now. */
  linkFactor(link: EstateLink): number {
    if (this.faults.has('link-cut', link.name)) return 0;
    const slow = this.faults.has('link-slow', link.name)?.factor ?? 1;
    const lossy = this.faults.has('link-lossy', link.name) ? lossyShare(link.rateBps) : 1;
    const hour = Math.floor(this.nowMs / HOUR) % 24;
    const weather = link.slow && hour >= link.slow.fromHour && hour < link.slow.toHour ? link.slow.factor : 1;
    return slow * weather * lossy;
  }

  /** As plain data, but for how far each is. */
  inFlight() {
    return [...this.byKey.values()].map((t) => ({ ...t, failure: t.failure ? asData(t.failure) : null }));
  }

  /** How far each transfer that still sends is, and what the links may carry. */
  moment() {
    const sent = [...this.byKey.keys()].flatMap((key): Array<[string, number]> => {
      const line = this.lines.get(key);
      return line ? [[key, line.sentBytes]] : [];
    });
    return { sent, throttles: [...this.throttles] };
  }

  /** Takes up what `moment` and `inFlight` gave, after a restart. */
  restore({ sent, throttles }: ReturnType<Transfers['moment']>, transfers: ReturnType<Transfers['inFlight']>): void {
    for (const [linkId, list] of throttles) this.throttles.set(linkId, list);
    this.setCapacities();
    const sentOf = new Map(sent);
    for (const { failure, ...transfer } of transfers) {
      const refusal = failure ? new WorldRefusal(failure.code, failure.subject, failure.detail) : null;
      this.byKey.set(transfer.key, { ...transfer, failure: refusal });
      const sentBytes = sentOf.get(transfer.key);
      if (sentBytes === undefined) continue;
      const way = transfer.totalBytes === 0 ? [] : this.wayOf(transfer.fromSiteId, transfer.place);
      this.lines.start(transfer.key, way, transfer.totalBytes, { sentBytes, demand: transfer.demandBps ?? Infinity });
    }
  }

  private wayOf(fromSiteId: number, place: EstatePlace): string[] {
    const link = this.linkBetween(fromSiteId, place.siteId);
    return [`mover:${fromSiteId}`, ...(link ? [`link:${link.id}`] : []), placeKey(place)];
  }

  private deadMover(...siteIds: number[]): string | undefined {
    return this.estate.movers.find((m) => siteIds.includes(m.siteId) && this.faults.has('mover-killed', m.name))?.name;
  }

  private linkBetween(a: number, b: number): EstateLink | undefined {
    if (a === b) return undefined;
    return this.estate.links.find((l) => (l.siteA === a && l.siteB === b) || (l.siteA === b && l.siteB === a));
  }

  private nextTurn(untilMs: EpochMs): EpochMs | null {
    const turns = [...this.throttles.values()].flatMap((list) => nextThrottleTurn(list, this.nowMs, untilMs) ?? []);
    return turns.length ? Math.min(...turns) : null;
  }

  private setCapacities(): void {
    for (const mover of this.estate.movers) this.lines.setCapacity(`mover:${mover.siteId}`, mover.rateBps);
    for (const link of this.estate.links)
      this.lines.setCapacity(
        `link:${link.id}`,
        throttledRate(link.rateBps * this.linkFactor(link), this.throttlesOf(link.id), this.nowMs),
      );
  }

  private complete(key: string, atMs: EpochMs): void {
    const transfer = this.byKey.get(key);
    if (!transfer || transfer.failure) return;
    transfer.completedMs = Math.max(atMs, transfer.notBeforeMs);
    transfer.storedBytes = this.copies.add(placeKey(transfer.place), transfer.copy);
  }

  private fail(transfer: Transfer, refusal: WorldRefusal): void {
    this.lines.stop(transfer.key);
    transfer.failure = refusal;
  }
}

function asData({ code, subject, message }: WorldRefusal): { code: CauseCode; subject: string; detail: string } {
  return { code, subject, detail: message };
}

function lossyShare(rateBps: number): number {
  const { segmentBytes, roundTripSeconds, loss, streams } = LOSSY;
  return Math.min(1, (streams * lossLimitBps(segmentBytes, roundTripSeconds, loss, MATHIS.delayed)) / rateBps);
}
