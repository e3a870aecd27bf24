import fc from 'fast-check';
import { GIB, HOUR } from '@/core/units';
import { DiskContent } from '@/standin/world/content';
import { CopyStore, type Copy } from '@/standin/world/copies';

const BORN = Date.parse('2026-01-05T00:00Z');
const disks = new Map(
  [1, 2].map((id) => [
    id,
    new DiskContent(
      { id, seed: id, imageSeed: 9, role: 'data', sizeBytes: 10 * GIB, activeShare: 0.05, periodMs: 12 * HOUR },
      BORN,
    ),
  ]),
);
const store = () => new CopyStore((id) => disks.get(id) as DiskContent);
const copy = (hour: number): Copy => ({
  key: `h${hour}`,
  workloadId: 1,
  takenMs: BORN + hour * HOUR,
  diskIds: [1, 2],
  rottenBlocks: [],
});
const PLACE = 'repository:1';

test('law: what a place stores depends on which copies are there, not on the order they came and went', () => {
  const hours = fc.uniqueArray(fc.integer({ min: 0, max: 400 }), { minLength: 2, maxLength: 14 });
  fc.assert(
    fc.property(hours, fc.integer({ min: 1, max: 5 }), (list, drop) => {
      const gone = list.slice(0, Math.min(drop, list.length - 1));
      const stay = list.slice(gone.length);
      const shuffled = store();
      for (const hour of list) shuffled.add(PLACE, copy(hour));
      for (const hour of gone) shuffled.remove(PLACE, 1, `h${hour}`);
      const plain = store();
      for (const hour of [...stay].sort((a, b) => a - b)) plain.add(PLACE, copy(hour));
      expect(Math.abs(shuffled.usedBytes(PLACE) - plain.usedBytes(PLACE))).toBeLessThanOrEqual(list.length);
    }),
    { numRuns: 60 },
  );
});

test('adding twice has one effect, removing what is not there none', () => {
  const place = store();
  const first = place.add(PLACE, copy(1));
  expect(first).toBeGreaterThan(0);
  expect(place.add(PLACE, copy(1))).toBe(0);
  expect(place.remove(PLACE, 1, 'nothing')).toBe(0);
  expect(place.remove(PLACE, 1, 'h1')).toBe(first);
  expect(place.usedBytes(PLACE)).toBe(0);
  expect(place.changes.map((c) => c.gone)).toEqual([false, true]);
});

test('a first copy sends all that is filled, the next only what changed', () => {
  const place = store();
  const full = place.difference(PLACE, 1, [1, 2], BORN + HOUR);
  place.add(PLACE, copy(1));
  const next = place.difference(PLACE, 1, [1, 2], BORN + 2 * HOUR);
  expect(full.inspected).toBe(2 * Math.round(10 * GIB * 0.6));
  expect(next.send).toBeLessThan(full.send / 50);
  expect(place.difference(PLACE, 1, [1, 2], BORN + HOUR).send).toBe(0);
});

test('a disk that was left out before is sent whole', () => {
  const place = store();
  place.add(PLACE, { ...copy(1), diskIds: [1] });
  expect(place.difference(PLACE, 1, [1, 2], BORN + 2 * HOUR).send).toBeGreaterThan(2 * GIB);
});
