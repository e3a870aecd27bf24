/**
 * The small fleet that storms go over: short ladders, one repository that locks, and by the seed a stream in place of the
 * replica, or backups captured together.
 */
import type { Lane } from '@/core/protect/policy';
import { DAY, HOUR } from '@/core/units';

export const WORKLOADS = 5;
export const RPO_MS = 3 * HOUR;
/** How long mil-r1 locks a copy. */
export const IMMUTABLE_MS = 4 * HOUR;

const base = { consistency: 'crash', excludeRoles: [] } as const;
const replica: Lane = {
  ...base,
  key: 'replica',
  kind: 'replica',
  cadence: { kind: 'every', everyMs: 2 * HOUR, offsetMs: 0 },
  ladder: {
    reading: 'bands',
    zone: 'Europe/Oslo',
    rungs: [
      { per: null, count: 1, spanMs: 8 * HOUR },
      { per: 'day', count: 1, spanMs: 3 * DAY },
    ],
  },
  targets: { '1': 2 },
};
const backup: Lane = {
  ...base,
  key: 'backup',
  kind: 'backup',
  cadence: {
    kind: 'rule',
    zone: 'Europe/Oslo',
    start: '2026-01-05T00:00',
    rule: 'FREQ=DAILY;BYHOUR=1,6,12,20;BYMINUTE=0',
  },
  ladder: { reading: 'newest', count: 3 },
  consistency: 'application',
  withoutFreeze: 'go-on',
  targets: { '1': 2 },
};
const copy: Lane = {
  ...base,
  key: 'copy',
  kind: 'copy',
  cadence: { kind: 'after', lane: 'backup' },
  source: 'backup',
  ladder: { reading: 'newest', count: 4 },
  targets: { '1': 1 },
};
/** Keeps the name of the lane in whose place it is. */
const stream: Lane = { ...replica, kind: 'stream', ladder: { ...replica.ladder } };

/** Lanes of a storm: every third one with a stream, another third with backups at one instant. */
export function lanesFor(seed: number): readonly Lane[] {
  const together = { ...backup, together: true };
  return [
    [stream, together, copy],
    [replica, together, copy],
    [replica, backup, copy],
  ][seed % 3] as readonly Lane[];
}
