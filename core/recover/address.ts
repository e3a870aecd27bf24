/**
 * Address rules: what address a workload has where it lands. IPv4 and IPv6 alike, prefix arithmetic of RFC 4632 (from
 * memory); text in its canonical form (RFC 5952, from memory). Parsing is strict: no octal, no short forms.
 */
import ipaddr from 'ipaddr.js';

/** Thrown for text that is no address or no prefix. */
export class BadAddress extends Error {
  readonly code = 'bad-address';
  override readonly name = 'BadAddress';
  constructor(text: string, what: 'address' | 'prefix') {
    super(
      `"${text}" is no ${what}; write one such as ${what === 'address' ? '192.0.2.10 or 2001:db8::10' : '192.0.2.0/24 or 2001:db8::/64'}.`,
    );
  }
}

export interface Address {
  readonly bits: 32 | 128;
  readonly value: bigint;
}
export interface Prefix {
  readonly bits: 32 | 128;
  /** First address of it. */
  readonly first: bigint;
  readonly length: number;
}

export type AddressRule =
  | { readonly kind: 'keep' }
  /** The same host part in the mapped subnet. */
  | { readonly kind: 'host-part'; readonly from: string; readonly to: string }
  | { readonly kind: 'fixed'; readonly address: string }
  /** Given there, by whoever gives addresses. */
  | { readonly kind: 'dynamic' };

export type Mapped =
  | { readonly kind: 'address'; readonly address: string }
  | { readonly kind: 'dynamic' }
  | { readonly kind: 'refused'; readonly reason: 'not-in-source' | 'no-fit' | 'network' | 'broadcast' };

export function parseAddress(text: string): Address {
  const v4 = ipaddr.IPv4.isValidFourPartDecimal(text);
  if (!v4 && !(text.includes(':') && !text.includes('%') && ipaddr.IPv6.isValid(text)))
    throw new BadAddress(text, 'address');
  const bytes = (v4 ? ipaddr.IPv4.parse(text) : ipaddr.IPv6.parse(text)).toByteArray();
  return { bits: v4 ? 32 : 128, value: bytes.reduce((sum, byte) => (sum << 8n) | BigInt(byte), 0n) };
}

/** A prefix; its host bits must be zero. */
export function parsePrefix(text: string): Prefix {
  const found = /^(.+)\/(\d{1,3})$/.exec(text);
  if (!found) throw new BadAddress(text, 'prefix');
  const { bits, value } = parseAddress(found[1] as string);
  const length = Number(found[2]);
  if (length > bits || value % sizeOf({ bits, length }) !== 0n) throw new BadAddress(text, 'prefix');
  return { bits, first: value, length };
}

export function sizeOf({ bits, length }: Pick<Prefix, 'bits' | 'length'>): bigint {
  return 1n << BigInt(bits - length);
}

export function contains(prefix: Prefix, address: Address): boolean {
  return prefix.bits === address.bits && address.value >= prefix.first && address.value < prefix.first + sizeOf(prefix);
}

/** Canonical text. */
export function formatAddress({ bits, value }: Address): string {
  const bytes = Array.from({ length: bits / 8 }, (_, i) => Number((value >> BigInt(bits - 8 * (i + 1))) & 255n));
  return bits === 32 ? new ipaddr.IPv4(bytes).toString() : new ipaddr.IPv6(bytes).toRFC5952String();
}

/** The prefix of an address, with its first and last address. */
export function prefixOf(address: Address, length: number): Prefix {
  const size = sizeOf({ bits: address.bits, length });
  return { bits: address.bits, first: address.value - (address.value % size), length };
}

/** What a rule makes of an address. O(1). */
export function applyRule(rule: AddressRule, address: string): Mapped {
  switch (rule.kind) {
    case 'keep':
      return { kind: 'address', address: formatAddress(parseAddress(address)) };
    case 'fixed':
      return { kind: 'address', address: formatAddress(parseAddress(rule.address)) };
    case 'dynamic':
      return { kind: 'dynamic' };
    case 'host-part':
      return keepHostPart(parseAddress(address), parsePrefix(rule.from), parsePrefix(rule.to));
  }
}

/** new = first of the target + (address - first of the source). */
function keepHostPart(address: Address, from: Prefix, to: Prefix): Mapped {
  if (!contains(from, address)) return { kind: 'refused', reason: 'not-in-source' };
  const host = address.value - from.first;
  if (host >= sizeOf(to)) return { kind: 'refused', reason: 'no-fit' };
  // The first and last address of an IPv4 subnet are taken, but for the two of a /31 and the one of a /32 (RFC 3021).
  if (to.bits === 32 && to.length <= 30) {
    if (host === 0n) return { kind: 'refused', reason: 'network' };
    if (host === sizeOf(to) - 1n) return { kind: 'refused', reason: 'broadcast' };
  }
  return { kind: 'address', address: formatAddress({ bits: to.bits, value: to.first + host }) };
}

/** Addresses that more than one workload would have, with who. Two machines with one address is the accident to prevent. */
export function doubles(
  wanted: ReadonlyArray<{ readonly name: string; readonly network: string; readonly address: string }>,
) {
  const users = new Map<string, string[]>();
  for (const { name, network, address } of wanted) {
    const key = `${network} ${formatAddress(parseAddress(address))}`;
    users.set(key, [...(users.get(key) ?? []), name]);
  }
  return [...users]
    .filter(([, names]) => names.length > 1)
    .map(([key, names]) => ({
      network: key.slice(0, key.lastIndexOf(' ')),
      address: key.slice(key.lastIndexOf(' ') + 1),
      names,
    }));
}
