/**
 * Where machines find room: hosts by cores and memory, with rules that keep machines together or apart, and what cannot
 * be placed, with the reason. First fit by falling size: at most 11/9 of the best number of hosts in one dimension
 * (Dosa 2007, from memory); packing.ts has the bounds.
 */

export interface Host {
  readonly id: string;
  readonly cores: number;
  readonly memoryBytes: number;
}
export interface Guest {
  readonly id: string;
  readonly cores: number;
  readonly memoryBytes: number;
}
/** `together`: all on one host. `apart`: no two on one host. */
export interface PlacementRule {
  readonly kind: 'together' | 'apart';
  readonly guests: readonly string[];
}

export interface NotPlaced {
  readonly guest: string;
  readonly reason: 'too-large' | 'no-room' | 'kept-apart' | 'rules-conflict';
  readonly words: string;
}
export interface Placement {
  /** Host of each placed guest. */
  readonly hostOf: ReadonlyMap<string, string>;
  readonly notPlaced: readonly NotPlaced[];
}

interface Room {
  readonly host: Host;
  cores: number;
  memory: number;
  readonly guests: Set<string>;
}
/** Guests that must land on one host, as one. */
interface Unit {
  readonly guests: readonly Guest[];
  readonly cores: number;
  readonly memory: number;
}

/** Places guests in the order of falling size. Deterministic. O(guests x hosts + rules). */
export function place(
  guests: readonly Guest[],
  hosts: readonly Host[],
  rules: readonly PlacementRule[] = [],
): Placement {
  const apart = apartOf(rules);
  const rooms = hosts.map((host): Room => ({ host, cores: host.cores, memory: host.memoryBytes, guests: new Set() }));
  const whole = { cores: sum(hosts, (h) => h.cores) || 1, memory: sum(hosts, (h) => h.memoryBytes) || 1 };
  // The dimension in which a guest takes the greater part of all there is decides its size.
  const sizeOf = (unit: Unit): number => Math.max(unit.cores / whole.cores, unit.memory / whole.memory);
  const hostOf = new Map<string, string>();
  const notPlaced: NotPlaced[] = [];
  for (const unit of unitsOf(guests, rules).sort((a, b) => sizeOf(b) - sizeOf(a))) {
    const reason = refusalOf(unit, hosts, rooms, apart);
    if (typeof reason === 'string')
      notPlaced.push(...unit.guests.map((g) => ({ guest: g.id, reason, words: WORDS[reason] })));
    else {
      reason.cores -= unit.cores;
      reason.memory -= unit.memory;
      for (const guest of unit.guests) {
        reason.guests.add(guest.id);
        hostOf.set(guest.id, reason.host.id);
      }
    }
  }
  return { hostOf, notPlaced };
}

const WORDS: Readonly<Record<NotPlaced['reason'], string>> = {
  'too-large': 'No host is large enough, even empty.',
  'no-room': 'No host has enough cores and memory left.',
  'kept-apart': 'Every host with room holds a machine that it must be kept apart from.',
  'rules-conflict': 'Rules keep it together with a machine that they keep it apart from.',
};

/** The first room that takes the unit, or why there is none. */
function refusalOf(
  unit: Unit,
  hosts: readonly Host[],
  rooms: readonly Room[],
  apart: ReadonlyMap<string, ReadonlySet<string>>,
): Room | NotPlaced['reason'] {
  const ids = unit.guests.map((guest) => guest.id);
  const conflicts = (others: Iterable<string>): boolean => {
    for (const other of others) if (ids.some((id) => apart.get(id)?.has(other))) return true;
    return false;
  };
  if (conflicts(ids)) return 'rules-conflict';
  if (!hosts.some((host) => host.cores >= unit.cores && host.memoryBytes >= unit.memory)) return 'too-large';
  const withRoom = rooms.filter((room) => room.cores >= unit.cores && room.memory >= unit.memory);
  if (!withRoom.length) return 'no-room';
  return withRoom.find((room) => !conflicts(room.guests)) ?? 'kept-apart';
}

function apartOf(rules: readonly PlacementRule[]): Map<string, Set<string>> {
  const apart = new Map<string, Set<string>>();
  for (const rule of rules.filter((r) => r.kind === 'apart'))
    for (const guest of rule.guests) {
      const others = apart.get(guest) ?? new Set<string>();
      for (const other of rule.guests) if (other !== guest) others.add(other);
      apart.set(guest, others);
    }
  return apart;
}

/** Guests joined by `together` rules, also through each other. */
function unitsOf(guests: readonly Guest[], rules: readonly PlacementRule[]): Unit[] {
  const leader = new Map(guests.map((guest) => [guest.id, guest.id]));
  const find = (id: string): string => {
    let at = id;
    while (leader.get(at) !== at) at = leader.get(at) as string;
    return at;
  };
  for (const rule of rules.filter((r) => r.kind === 'together')) {
    const known = rule.guests.filter((id) => leader.has(id));
    for (const id of known.slice(1)) leader.set(find(id), find(known[0] as string));
  }
  const groups = new Map<string, Guest[]>();
  for (const guest of guests) groups.set(find(guest.id), [...(groups.get(find(guest.id)) ?? []), guest]);
  return [...groups.values()].map((list) => ({
    guests: list,
    cores: sum(list, (g) => g.cores),
    memory: sum(list, (g) => g.memoryBytes),
  }));
}

function sum<T>(list: readonly T[], of: (item: T) => number): number {
  return list.reduce((total, item) => total + of(item), 0);
}
