import { previewLane } from '@/core/forecast/lane-preview';
import type { Ladder } from '@/core/protect/ladder';
import { DAY, HOUR, MINUTE } from '@/core/units';

const NOW = Date.parse('2026-03-12T08:10Z');
const every = (everyMs: number) => ({ kind: 'every' as const, everyMs, offsetMs: 0 });
const ladder: Ladder = { reading: 'bands', zone: 'UTC', rungs: [{ per: null, count: 1, spanMs: DAY }] };
const looks = { sentBytes: 60e6, storedBytes: 40e6, leastMs: 2 * MINUTE, meanMs: 5 * MINUTE };

test('next runs, points and space of an hourly lane kept a day (by definition)', () => {
  const preview = previewLane({ cadence: every(HOUR), ladder }, { cadence: every(HOUR), looks, rpoMs: 2 * HOUR }, NOW);
  expect(preview.nextMs.map((ms) => new Date(ms).toISOString().slice(11, 16))).toEqual([
    '09:00',
    '10:00',
    '11:00',
    '12:00',
  ]);
  expect(preview.points).toBe(24);
  expect(preview.bytes).toBe(24 * 40e6);
  // An hour's changes take 3 min beyond the 2 min that every run takes: worst 60 + 2 + 3.
  expect(preview.feasibility).toMatchObject({ feasible: true, worstMs: 65 * MINUTE });
});
test('twice as often sends half each time; too seldom says what would do', () => {
  const now = { cadence: every(HOUR), looks, rpoMs: HOUR };
  expect(previewLane({ cadence: every(30 * MINUTE), ladder }, now, NOW).feasibility?.worstMs).toBeCloseTo(
    33.5 * MINUTE,
    6,
  );
  const seldom = previewLane({ cadence: every(HOUR), ladder }, now, NOW).feasibility;
  expect(seldom).toMatchObject({ feasible: false, reason: 'run-too-long', change: { kind: 'cadence' } });
});
test('what is not known is not made up', () => {
  expect(
    previewLane({ cadence: { kind: 'by-hand' }, ladder }, { cadence: every(HOUR), looks, rpoMs: HOUR }, NOW),
  ).toEqual({
    nextMs: [],
    points: 0,
    bytes: null,
    feasibility: null,
  });
  expect(
    previewLane({ cadence: every(HOUR), ladder }, { cadence: every(HOUR), looks: null, rpoMs: HOUR }, NOW).feasibility,
  ).toBeNull();
  const even = { ...looks, meanMs: looks.leastMs };
  expect(
    previewLane({ cadence: every(HOUR), ladder }, { cadence: every(HOUR), looks: even, rpoMs: 2 * HOUR }, NOW)
      .feasibility?.worstMs,
  ).toBe(62 * MINUTE);
});
