/** Source: none; throttles as words.md means them. Norway's clocks go forward on 29 March 2026 at 01:00 UTC (IANA tzdata 2025). */
import { nextThrottleTurn, throttledRate, type Throttle } from '@/core/flow/throttle';
import { HOUR } from '@/core/units';

const office: Throttle = {
  when: { kind: 'weekly', zone: 'Europe/Oslo', weekdays: [1, 2, 3, 4, 5], fromMin: 7 * 60, toMin: 17 * 60 },
  rateBps: 50e6,
};
const at = (text: string): number => Date.parse(text);

test('inside its hours a link carries what the throttle allows, outside its whole rate', () => {
  const rate = (text: string): number => throttledRate(300e6, [office], at(text));
  expect(rate('2026-03-12T05:59:59Z')).toBe(300e6);
  expect(rate('2026-03-12T06:00:00Z')).toBe(50e6);
  expect(rate('2026-03-12T16:00:00Z')).toBe(300e6);
  expect(rate('2026-03-14T10:00:00Z')).toBe(300e6);
});

test('of several in force the least counts, and none makes a link faster', () => {
  const lunch: Throttle = { when: { ...office.when, fromMin: 11 * 60, toMin: 12 * 60 }, rateBps: 10e6 };
  expect(throttledRate(300e6, [office, lunch], at('2026-03-12T10:30:00Z'))).toBe(10e6);
  expect(throttledRate(20e6, [office], at('2026-03-12T10:30:00Z'))).toBe(20e6);
});

test('its turns are on the wall clock of its zone, summer time or not', () => {
  const turn = (text: string): number | null => nextThrottleTurn([office], at(text), at(text) + 24 * HOUR);
  expect(turn('2026-03-12T05:00:00Z')).toBe(at('2026-03-12T06:00:00Z'));
  expect(turn('2026-03-12T06:00:00Z')).toBe(at('2026-03-12T16:00:00Z'));
  expect(turn('2026-03-30T04:00:00Z')).toBe(at('2026-03-30T05:00:00Z'));
  expect(turn('2026-03-14T05:00:00Z')).toBeNull();
});
