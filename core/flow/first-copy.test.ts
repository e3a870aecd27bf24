import {
  chase,
  chaseLimit,
  passesUntil,
  seedSeconds,
  shippedSeconds,
  shippingPays,
  shipSeconds,
} from '@/core/flow/first-copy';

const TB = 1e12;
const MB = 1e6;
const shipment = { out: 500 * MB, into: 500 * MB, travelSeconds: 48 * 3600 };

// Section 8 of the checks: all follow from the definition of the fluid model.
test.each([
  ['8-A1', 10 * TB, 125 * MB, 25 * MB, 100_000],
  ['8-A2', 2 * TB, 12.5 * MB, 2.5 * MB, 200_000],
  ['8-A3', 2 * TB, 5, 5, Infinity],
  ['8-A4', 2 * TB, 12.5 * MB, 200e9 / 86_400, 196_363.6363636],
])('%s', (_id, size, rate, change, seconds) => expect(seedSeconds(size, rate, change)).toBeCloseTo(seconds, 3));

test('8-B1, B2, B3: by passes', () => {
  const passes = chase(10 * TB, 125 * MB, 25 * MB, 0.64e9 - 1);
  expect(passes.map((p) => Math.round(p.bytes / 1e7) / 100)).toEqual([10_000, 2000, 400, 80, 16, 3.2, 0.64]);
  [80_000, 96_000, 99_200, 99_840, 99_968, 99_993.6].forEach((at, i) =>
    expect(passes[i]?.endSeconds).toBeCloseTo(at, 6),
  );
  expect(passesUntil(10 * TB, 125 * MB, 25 * MB, 1e9)).toBe(6);
  expect(passesUntil(10 * TB, 1, 1, 1e9)).toBe(Infinity);
  expect(chase(10 * TB, 125 * MB, 25 * MB, 1e9)).toHaveLength(6);
});
test('8-B4: with 60 s a pass it settles at 1875 MB every 75 s', () => {
  const limit = chaseLimit(125 * MB, 25 * MB, 60);
  expect(limit.bytes).toBeCloseTo(1875 * MB, 3);
  expect(limit.seconds).toBeCloseTo(75, 9);
});
test('8-B5: cutover after six passes', () => expect(0.64e9 / (125 * MB) + 30).toBeCloseTo(35.12, 9));
test.each([
  ['8-C1', 12.5 * MB, 2.273684 * TB],
  ['8-C2', 125 * MB, 43.2 * TB],
])('%s: break-even at %d B/s', (_id, rate, size) => expect(shippingPays(rate, shipment) / size).toBeCloseTo(1, 6));
test('8-C3: on a line half as fast as the disk, or faster, shipping never pays', () => {
  expect(shippingPays(250 * MB, shipment)).toBe(Infinity);
  expect(shippingPays(500 * MB, shipment)).toBe(Infinity);
});
test('8-C4: 10 TB at 12.5 MB/s', () => {
  expect(shipSeconds(10 * TB, shipment)).toBe(212_800);
  expect(shippedSeconds(10 * TB, 12.5 * MB, 2.5 * MB, shipment)).toBe(266_000);
  expect(seedSeconds(10 * TB, 12.5 * MB, 2.5 * MB)).toBe(1_000_000);
  expect(shippedSeconds(1, 5, 5, shipment)).toBe(Infinity);
});
test.each([2.5, 7])('8-C5: at break-even both ways take equally long, changes of %d MB/s', (change) => {
  const size = shippingPays(12.5 * MB, shipment);
  expect(
    shippedSeconds(size, 12.5 * MB, change * MB, shipment) / seedSeconds(size, 12.5 * MB, change * MB),
  ).toBeCloseTo(1, 12);
});
