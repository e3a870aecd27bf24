/**
 * What a line carries: protocol overhead, the limits of one TCP connection, and the delay of the fibre.
 * Rates in bit/s, sizes in bytes, times in seconds, losses as shares.
 */

/** Octets of an Ethernet frame besides its payload: preamble 7, start 1, header 14, check 4, gap 12 (IEEE 802.3, from memory). */
const FRAME_OCTETS = 38;
const IP_OCTETS = { 4: 20, 6: 40 } as const;
const TCP_OCTETS = 20;
const TIMESTAMP_OCTETS = 12;
const VLAN_OCTETS = 4;

export interface LineProtocol {
  readonly mtu: number;
  readonly ip: 4 | 6;
  /** TCP timestamps, on by default in most systems. */
  readonly timestamps?: boolean;
  readonly vlanTag?: boolean;
}

/** Octets on the wire of one full frame. */
export function wireOctets({ mtu, vlanTag = false }: LineProtocol): number {
  return mtu + FRAME_OCTETS + (vlanTag ? VLAN_OCTETS : 0);
}

/** Octets of data in one full frame: the maximum segment less its options. */
export function payloadOctets({ mtu, ip, timestamps = false }: LineProtocol): number {
  return mtu - IP_OCTETS[ip] - TCP_OCTETS - (timestamps ? TIMESTAMP_OCTETS : 0);
}

/** Share of a line's rate that is data. */
export function goodputShare(protocol: LineProtocol): number {
  return payloadOctets(protocol) / wireOctets(protocol);
}

/** Seconds to send an amount of data over a line of `rateBps`. */
export function sendSeconds(bytes: number, rateBps: number, share = 1): number {
  return (bytes * 8) / (rateBps * share);
}

/** Most that one connection carries with a window of `windowBytes`: a window a round trip (RFC 9293, from memory). */
export function windowLimitBps(windowBytes: number, roundTripSeconds: number): number {
  return (windowBytes * 8) / roundTripSeconds;
}

/** Window that fills a line: the bandwidth-delay product, in bytes (RFC 7323, from memory). */
export function windowToFill(rateBps: number, roundTripSeconds: number): number {
  return (rateBps * roundTripSeconds) / 8;
}

const WINDOW_FIELD = 65_535;
const MOST_SHIFT = 14;
/** The largest window that TCP can have with window scaling (RFC 7323 2.3, from memory). */
export const LARGEST_WINDOW_BYTES = WINDOW_FIELD * 2 ** MOST_SHIFT;

/** Smallest window scale that reaches a window; null if none does. */
export function windowShift(windowBytes: number): number | null {
  for (let shift = 0; shift <= MOST_SHIFT; shift++) if (WINDOW_FIELD * 2 ** shift >= windowBytes) return shift;
  return null;
}

/** Constant of the square-root law: an acknowledgement a packet, or one for two. */
export const MATHIS = { everyPacket: Math.sqrt(3 / 2), delayed: Math.sqrt(3 / 4) } as const;

/**
 * What one loss-driven connection reaches: C * MSS / (RTT * sqrt(p)) (Mathis, Semke, Mahdavi & Ott 1997, from memory).
 * A rule of thumb: newer congestion controls do better. No loss: Infinity.
 */
export function lossLimitBps(
  segmentBytes: number,
  roundTripSeconds: number,
  loss: number,
  c = MATHIS.everyPacket,
): number {
  return loss <= 0 ? Infinity : (c * segmentBytes * 8) / (roundTripSeconds * Math.sqrt(loss));
}

/** Loss that still allows a rate over one connection. */
export function lossForRate(
  rateBps: number,
  segmentBytes: number,
  roundTripSeconds: number,
  c = MATHIS.everyPacket,
): number {
  return ((c * segmentBytes * 8) / (roundTripSeconds * rateBps)) ** 2;
}

export interface Line {
  readonly rateBps: number;
  readonly roundTripSeconds: number;
  readonly loss: number;
  readonly protocol: LineProtocol;
  /** Window of one connection, in bytes. */
  readonly windowBytes: number;
  readonly connections: number;
}

/** What data gets over a line, and what holds it back. */
export function usableRate(line: Line): { readonly bps: number; readonly limit: 'line' | 'window' | 'loss' } {
  const segment = payloadOctets(line.protocol);
  const whole = line.rateBps * goodputShare(line.protocol);
  const byWindow = line.connections * windowLimitBps(line.windowBytes, line.roundTripSeconds);
  const byLoss = line.connections * lossLimitBps(segment, line.roundTripSeconds, line.loss);
  const bps = Math.min(whole, byWindow, byLoss);
  return { bps, limit: bps === whole ? 'line' : bps === byWindow ? 'window' : 'loss' };
}

const LIGHT_KM_S = 299_792.458;
/** Group index of usual fibre at 1550 nm: common practice for G.652, no source. */
const FIBRE_INDEX = 1.468;

/** Round trip through fibre, in seconds, without any equipment. */
export function fibreRoundTripSeconds(km: number): number {
  return (2 * km * FIBRE_INDEX) / LIGHT_KM_S;
}
