/**
 * The first full copy: over the line while changes come in, in passes, or on a shipped disk. A fluid model (by
 * definition): sizes in bytes, rates in bytes a second, times in seconds.
 */

/** Seconds until a copy of `size` sent at `rate` has caught up with changes of `change` a second; Infinity: never. */
export function seedSeconds(size: number, rate: number, change: number): number {
  return change >= rate ? Infinity : size / (rate - change);
}

export interface Pass {
  readonly bytes: number;
  /** When it ends, from the beginning. */
  readonly endSeconds: number;
}

/** The passes of a chase: each sends what changed during the one before, until less than `until` bytes are left. */
export function chase(size: number, rate: number, change: number, until: number, most = 100): Pass[] {
  const passes: Pass[] = [];
  let bytes = size;
  let endSeconds = 0;
  while (bytes >= until && passes.length < most) {
    endSeconds += bytes / rate;
    passes.push({ bytes, endSeconds });
    bytes *= change / rate;
  }
  return passes;
}

/** Passes until less than `until` bytes are left: ceil(ln(S / until) / ln(r / c)). Infinity if changes are as fast. */
export function passesUntil(size: number, rate: number, change: number, until: number): number {
  if (change >= rate) return Infinity;
  return Math.max(0, Math.ceil(Math.log(size / until) / Math.log(rate / change)));
}

/** Where a chase ends up that spends `overheadSeconds` on each pass: bytes a pass, seconds a pass. */
export function chaseLimit(rate: number, change: number, overheadSeconds: number): { bytes: number; seconds: number } {
  const seconds = overheadSeconds / (1 - change / rate);
  return { bytes: change * seconds, seconds };
}

export interface Shipment {
  /** Bytes a second at which the disk is written and read. */
  readonly out: number;
  readonly into: number;
  /** On the way. */
  readonly travelSeconds: number;
}

/** Seconds from the beginning until the shipped disk is read in. */
export function shipSeconds(size: number, { out, into, travelSeconds }: Shipment): number {
  return size / out + travelSeconds + size / into;
}

/** Seconds until a shipped copy has caught up over a line of `rate`, changes of `change` a second coming in meanwhile. */
export function shippedSeconds(size: number, rate: number, change: number, shipment: Shipment): number {
  return change >= rate ? Infinity : (shipSeconds(size, shipment) * rate) / (rate - change);
}

/** Size from which shipping is quicker than the line, whatever changes; Infinity if it never is. */
export function shippingPays(rate: number, { out, into, travelSeconds }: Shipment): number {
  const saved = 1 / rate - 1 / out - 1 / into;
  return saved <= 1e-18 ? Infinity : travelSeconds / saved;
}
