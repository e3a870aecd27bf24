import { assertNever, GIB, KIB, MIB, TIB } from '@/core/units';

// IEC 80000-13 prefixes (from memory); by definition.
test('15-U: binary and decimal prefixes', () => {
  expect([KIB, MIB, GIB]).toEqual([1024, 1_048_576, 1_073_741_824]);
  expect(TIB / 1e12).toBe(1.099511627776);
  expect((100 * GIB) / 1e9).toBe(107.3741824);
  expect(1e12 / TIB).toBeCloseTo(0.909494701773, 11);
  expect(1e9 / GIB).toBeCloseTo(0.931322574615, 11);
  expect(1e9 / 8 / 1e6).toBe(125);
  expect(1e9 / 8 / MIB).toBeCloseTo(119.20928955, 7);
  expect(TIB * 1024).toBe(1_125_899_906_842_624);
});

test('15-R5, R6: a day of data as a rate', () => {
  expect((1e9 * 8) / 86_400 / 1e6).toBeCloseTo(0.0925925926, 9);
  expect((100e6 / 8) * 86_400).toBe(1.08e12);
});

test('a variant that nobody handled is told with what it was', () => {
  expect(() => assertNever({ kind: 'new' } as never)).toThrow('{"kind":"new"}');
});
