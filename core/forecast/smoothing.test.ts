import fc from 'fast-check';
import { peakBound, smooth, type SmoothLane } from '@/core/forecast/smoothing';

const lane = (id: string, over: Partial<SmoothLane> = {}): SmoothLane => ({
  id,
  lengthBins: 1,
  weight: 1,
  everyBins: 24,
  firstBin: 0,
  lastBin: 23,
  nowBin: 0,
  ...over,
});

// By definition: what is spread evenly has the mean as its peak.
test('twenty-four runs at midnight become one an hour, the best there is', () => {
  const result = smooth(
    Array.from({ length: 24 }, (_, i) => lane(String(i))),
    24,
  );
  expect([result.peakBefore, result.peakAfter, result.bound, result.above]).toEqual([24, 1, 1, 0]);
  expect(new Set(result.offsets.values()).size).toBe(24);
});
test('a window keeps its lanes inside, and the bound knows it', () => {
  const lanes = Array.from({ length: 8 }, (_, i) =>
    lane(String(i), { firstBin: 2, lastBin: 5, lengthBins: 1, nowBin: 2 }),
  );
  const result = smooth(lanes, 24);
  for (const offset of result.offsets.values()) expect(offset >= 2 && offset <= 5).toBe(true);
  expect([result.peakBefore, result.peakAfter, result.bound]).toEqual([8, 2, 2]);
});
test('lanes that repeat are counted every time', () => {
  const lanes = Array.from({ length: 6 }, (_, i) => lane(String(i), { everyBins: 6, lastBin: 5 }));
  expect(smooth(lanes, 24)).toMatchObject({ peakBefore: 6, peakAfter: 1, bound: 1 });
});
test('a heavy lane alone is a bound, and a period that does not divide is refused', () => {
  expect(peakBound([lane('a', { weight: 7 }), lane('b')], 24)).toBe(7);
  expect(() => smooth([lane('a', { everyBins: 7 })], 24)).toThrow(RangeError);
  expect(smooth([], 24)).toMatchObject({ peakBefore: 0, above: 0 });
});
test('law: offsets stay allowed, the peak is never worse than today nor better than the bound', () => {
  const any = fc
    .record({
      lengthBins: fc.integer({ min: 1, max: 6 }),
      weight: fc.integer({ min: 1, max: 9 }),
      everyBins: fc.constantFrom(6, 12, 24),
      firstBin: fc.nat(20),
      width: fc.nat(5),
      now: fc.nat(5),
    })
    .map(({ width, now, ...l }) => ({ ...l, lastBin: l.firstBin + width, nowBin: l.firstBin + Math.min(now, width) }));
  fc.assert(
    fc.property(fc.array(any, { minLength: 1, maxLength: 15 }), (specs) => {
      const lanes = specs.map((spec, i) => ({ ...spec, id: String(i) }));
      const { offsets, peakBefore, peakAfter, bound } = smooth(lanes, 24);
      for (const l of lanes)
        expect((offsets.get(l.id) as number) >= l.firstBin && (offsets.get(l.id) as number) <= l.lastBin).toBe(true);
      expect(peakAfter).toBeLessThanOrEqual(peakBefore);
      expect(peakAfter).toBeGreaterThanOrEqual(bound - 1e-9);
    }),
    { numRuns: 200 },
  );
});
