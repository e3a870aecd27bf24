import {
  expectedBlocks,
  expectedBlocksContinuous,
  expectedInRegions,
  snapshotReserve,
  varianceOfBlocks,
  writesForShare,
} from '@/core/flow/changed-blocks';

// By enumeration of all outcomes.
test('9-A1, A2, A3: small cases', () => {
  expect(expectedBlocks(2, 2)).toBeCloseTo(1.5, 12);
  expect(varianceOfBlocks(2, 2)).toBeCloseTo(0.25, 12);
  expect(expectedBlocks(10, 5)).toBeCloseTo(4.0951, 9);
  expect(expectedBlocks(6, 6)).toBeCloseTo(3.99061214, 9);
});

// Occupancy (Feller I, from memory), reproduced by python Decimal.
test.each([
  ['9-B1', 1000, 1000, 632.304575, 632.120559],
  ['9-B2', 1000, 100, 95.207853, 95.162582],
  ['9-B3', 1000, 5000, 993.278888, 993.262053],
  ['9-B4', 262_144, 26_214, 24_945.983192, 24_945.937951],
  ['9-B5', 262_144, 262_144, 165_706.795714, 165_706.611774],
  ['9-B6', 26_214_400, 1_000_000, 981_166.768522, 981_166.750163],
  ['9-B7', 100, 70, 50.516134, 50.34147],
])('%s: D=%d, n=%d', (_id, blocks, writes, exact, continuous) => {
  expect(Math.abs(expectedBlocks(blocks, writes) - exact)).toBeLessThan(1e-5);
  expect(Math.abs(expectedBlocksContinuous(blocks, writes) - continuous)).toBeLessThan(1e-5);
});
test('9-B1v: variance of D=1000, n=1000', () => expect(varianceOfBlocks(1000, 1000)).toBeCloseTo(97.228, 3));
test('9-C1: nine tenths of the writes on a tenth of the blocks', () => {
  const regions = [
    { blocks: 100, writeShare: 0.9 },
    { blocks: 900, writeShare: 0.1 },
  ];
  expect(Math.abs(expectedInRegions(regions, 1000) - 194.637738)).toBeLessThan(1e-5);
});
test('9-D1, D2: writes to touch a share', () => {
  [0.693147, 2.302585, 0.105361].forEach((n, i) =>
    expect(writesForShare([0.5, 0.9, 0.1][i] as number)).toBeCloseTo(n, 6),
  );
  expect(writesForShare(0.5, 1000)).toBeCloseTo(692.8005, 3);
});
test('9-E1: five deltas kept apart against one merged', () => {
  expect(5 * expectedBlocks(1000, 100)).toBeCloseTo(476.039264, 5);
  expect(expectedBlocks(1000, 500)).toBeCloseTo(393.621055, 5);
});
test('9-MC: 4000 seeded runs of D=1000, n=1000 agree within four standard errors', () => {
  let state = 12345;
  const random = () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
  let sum = 0;
  for (let run = 0; run < 4000; run++) {
    const touched = new Uint8Array(1000);
    for (let n = 0; n < 1000; n++) touched[Math.floor(random() * 1000)] = 1;
    sum += touched.reduce((a, b) => a + b, 0);
  }
  expect(Math.abs(sum / 4000 - expectedBlocks(1000, 1000))).toBeLessThan(
    4 * Math.sqrt(varianceOfBlocks(1000, 1000) / 4000),
  );
});
test('a reserve never asks for more than the disk, and for nothing without writes', () => {
  expect(snapshotReserve(1000, 4096, 1e9)).toBe(1000 * 4096);
  expect(snapshotReserve(1000, 4096, 0)).toBe(0);
  expect(snapshotReserve(0, 4096, 10)).toBe(0);
  expect(snapshotReserve(1_000_000, 4096, 1000) / 4096).toBeCloseTo(
    expectedBlocks(1_000_000, 1000) + 3 * Math.sqrt(999.5),
    0,
  );
});
