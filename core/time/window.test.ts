import fc from 'fast-check';
import { ALWAYS, isOpen, nextOpen, openSpans, shutSpans, type Opening, type Window } from '@/core/time/window';
import { DAY, HOUR, MINUTE } from '@/core/units';

const OSLO = 'Europe/Oslo';
const ALL = [1, 2, 3, 4, 5, 6, 7];
const nightly: Window = { kind: 'weekly', zone: OSLO, weekdays: ALL, fromMin: 22 * 60, toMin: 6 * 60 };
const hours = (opening: Opening, from: string, to: string): number[] =>
  openSpans(opening, Date.parse(from), Date.parse(to)).map((span) => (span.toMs - span.fromMs) / HOUR);

// Lengths of local nights follow from the zone's changes (check 1-L, by definition).
test('a window over midnight is an hour shorter in spring and longer in autumn', () => {
  const open = { windows: [nightly], blackouts: [] };
  expect(hours(open, '2026-03-27T12:00Z', '2026-03-30T12:00Z')).toEqual([8, 7, 8]);
  expect(hours(open, '2026-10-23T12:00Z', '2026-10-26T12:00Z')).toEqual([8, 9, 8]);
});

test('a blackout cuts a hole, and the next opening is after it', () => {
  const blackout: Window = {
    kind: 'dated',
    fromMs: Date.parse('2026-03-11T23:00Z'),
    toMs: Date.parse('2026-03-12T01:00Z'),
  };
  const open: Opening = { windows: [nightly], blackouts: [blackout] };
  expect(hours(open, '2026-03-11T12:00Z', '2026-03-12T12:00Z')).toEqual([2, 4]);
  expect(nextOpen(open, blackout.fromMs)).toBe(blackout.toMs);
  expect(nextOpen(open, Date.parse('2026-03-12T06:00Z'))).toBe(Date.parse('2026-03-12T21:00Z'));
});

test('a night that begins on Friday belongs to Friday', () => {
  const friday: Opening = { windows: [{ ...nightly, weekdays: [5] } as Window], blackouts: [] };
  expect(isOpen(friday, Date.parse('2026-03-14T03:00+01:00'))).toBe(true);
  expect(isOpen(friday, Date.parse('2026-03-13T03:00+01:00'))).toBe(false);
});

test('no window is always open, a blackout of every hour never', () => {
  expect(hours(ALWAYS, '2026-03-11T12:00Z', '2026-03-12T12:00Z')).toEqual([24]);
  const never: Opening = {
    windows: [],
    blackouts: [{ kind: 'weekly', zone: OSLO, weekdays: ALL, fromMin: 0, toMin: 0 }],
  };
  expect(nextOpen(never, Date.parse('2026-03-11T12:00Z'))).toBeNull();
});

const zones = fc.constantFrom(OSLO, 'Australia/Lord_Howe', 'America/Santiago', 'Pacific/Chatham', 'UTC');
const minute = fc.integer({ min: 0, max: 1439 });
const base = Date.parse('2026-01-01T00:00Z');
const windows = fc.array(
  fc.oneof(
    fc.record({
      kind: fc.constant('weekly' as const),
      zone: zones,
      weekdays: fc.subarray(ALL),
      fromMin: minute,
      toMin: minute,
    }),
    fc.tuple(fc.integer({ min: 0, max: 8000 }), fc.integer({ min: 1, max: 200 })).map(([hour, length]) => ({
      kind: 'dated' as const,
      fromMs: base + hour * HOUR,
      toMs: base + (hour + length) * HOUR,
    })),
  ),
  { maxLength: 3 },
);

test('law: spans are ascending and apart, and open is being inside one', () => {
  fc.assert(
    fc.property(windows, windows, fc.integer({ min: 0, max: 330 }), (w, b, day) => {
      const opening = { windows: w, blackouts: b };
      const from = base + day * DAY;
      const spans = openSpans(opening, from, from + 3 * DAY);
      const shut = shutSpans(opening, from, from + 3 * DAY);
      spans.forEach((span, i) => expect(span.fromMs).toBeGreaterThan(spans[i - 1]?.toMs ?? from - 1));
      for (let at = from; at < from + 3 * DAY; at += 97 * MINUTE) {
        const inside = spans.some((span) => span.fromMs <= at && at < span.toMs);
        expect(isOpen(opening, at)).toBe(inside);
        expect(shut.some((span) => span.fromMs <= at && at < span.toMs)).toBe(!inside);
      }
      const next = nextOpen(opening, from);
      if (next !== null) expect(isOpen(opening, next)).toBe(true);
      if (spans[0]) expect(next).toBe(spans[0].fromMs);
    }),
    { numRuns: 150 },
  );
});
