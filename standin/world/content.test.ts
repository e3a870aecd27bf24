import fc from 'fast-check';
import { DiskContent, type DiskSpec } from '@/standin/world/content';
import { DAY, GIB, HOUR, MINUTE } from '@/core/units';

const BORN = Date.parse('2026-01-05T00:00Z');
const spec: DiskSpec = {
  id: 1,
  seed: 77,
  imageSeed: 5,
  role: 'data',
  sizeBytes: 100 * GIB,
  activeShare: 0.1,
  periodMs: 6 * HOUR,
};
const at = (hours: number) => BORN + hours * HOUR;

test('at birth a disk is its image, so clones of one image are equal and others are not', () => {
  const digest = (over: Partial<DiskSpec>, hours: number) =>
    new DiskContent({ ...spec, ...over }, BORN).digest(at(hours));
  expect(digest({ seed: 1 }, 0)).toBe(digest({ seed: 2 }, 0));
  expect(digest({ imageSeed: 6 }, 0)).not.toBe(digest({}, 0));
  expect(digest({ seed: 1 }, 48)).not.toBe(digest({ seed: 2 }, 48));
});

test('law: the digest depends only on seed and instant, whatever was asked before', () => {
  const used = new DiskContent(spec, BORN);
  fc.assert(
    fc.property(fc.integer({ min: 0, max: 24 * 40 }), (hours) => {
      expect(used.digest(at(hours))).toBe(new DiskContent(spec, BORN).digest(at(hours)));
    }),
    { numRuns: 40 },
  );
});

test('law: no changed block means an equal digest, a changed block another one', () => {
  const disk = new DiskContent(spec, BORN);
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 900 }), fc.integer({ min: 0, max: 90 }), (hours, minutes) => {
      const a = at(hours);
      const b = a + minutes * 1000;
      expect(disk.changedBlocks(a, b) === 0).toBe(disk.digest(a) === disk.digest(b));
    }),
    { numRuns: 60 },
  );
});

test('law: a block changed over a whole span changed in one of its parts', () => {
  const disk = new DiskContent(spec, BORN);
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: 500 }),
      fc.integer({ min: 1, max: 50 }),
      fc.integer({ min: 1, max: 50 }),
      (s, d, e) => {
        const whole = disk.changedBlocks(at(s), at(s + d + e));
        const parts = disk.changedBlocks(at(s), at(s + d)) + disk.changedBlocks(at(s + d), at(s + d + e));
        expect(parts).toBeGreaterThanOrEqual(whole);
        expect(whole).toBeGreaterThanOrEqual(disk.changedBlocks(at(s), at(s + d)));
      },
    ),
  );
});

test('work days change more than Sundays', () => {
  const disk = new DiskContent({ ...spec, periodMs: 20 * DAY }, BORN);
  const changed = (day: number) => disk.changedBlocks(BORN + day * DAY, BORN + day * DAY + 10 * HOUR + 30 * MINUTE);
  expect(changed(8)).toBeGreaterThan(changed(13));
});

test('a rotten block reads back as another digest', () => {
  const disk = new DiskContent(spec, BORN);
  expect(disk.digestFromScratch(at(30), [])).toBe(disk.digest(at(30)));
  expect(disk.digestFromScratch(at(30), [3])).not.toBe(disk.digest(at(30)));
});
