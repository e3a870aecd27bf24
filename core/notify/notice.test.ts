/** Source: none; the rules of notice.ts. */
import { dueNotices, noticeKey, type KnownCause, type Route } from '@/core/notify/notice';
import { DAY, HOUR, MINUTE } from '@/core/units';

const NOW = Date.UTC(2026, 2, 12, 23);
const cause = (over: Partial<KnownCause> = {}): KnownCause => ({
  id: 5,
  state: 'over',
  fromMs: NOW - HOUR,
  overMs: NOW - HOUR,
  toMs: null,
  taken: false,
  ...over,
});
const route = (over: Partial<Route> = {}): Route => ({
  id: 1,
  level: 'over',
  quiet: null,
  escalateAfterMs: null,
  gatherMs: 0,
  ...over,
});
const reasons = (causes: KnownCause[], routes: Route[], planned: string[] = []) =>
  dueNotices(causes, routes, new Map(planned.map((key) => [key, NOW - 2 * HOUR])), NOW).map((n) => n.reason);
const told = noticeKey(1, 5, 'began');

test('a cause is told once when it is over, and its end only to who was told of it', () => {
  expect(reasons([cause()], [route()])).toEqual(['began']);
  expect(reasons([cause()], [route()], [told])).toEqual([]);
  const ended = cause({ toMs: NOW - 30 * MINUTE });
  expect(reasons([ended], [route()], [told])).toEqual(['ended']);
  expect(reasons([cause({ toMs: NOW - 29 * MINUTE })], [route()], [told])).toEqual([]);
  expect(reasons([ended], [route()], [told, noticeKey(1, 5, 'ended')])).toEqual([]);
  expect(reasons([ended], [route()])).toEqual([]);
});

test.each<['over' | 'closing' | 'all', string[]]>([
  ['over', ['over']],
  ['closing', ['over', 'closing']],
  ['all', ['over', 'closing', 'inside']],
])('level %s hears of %j', (level, heard) => {
  const states = (['over', 'closing', 'inside'] as const).filter(
    (state) => reasons([cause({ state })], [route({ level })]).length,
  );
  expect(states).toEqual(heard);
});

test('who heard of it before it was over hears when it is', () => {
  expect(reasons([cause()], [route({ level: 'all' })], [told])).toEqual(['worse']);
  expect(reasons([cause()], [route({ level: 'all' })], [told, noticeKey(1, 5, 'worse')])).toEqual([]);
  expect(reasons([cause({ state: 'inside' })], [route({ level: 'all' })], [told])).toEqual([]);
});

test('who will hear of it, or heard of it since it is over, is not told that it got worse', () => {
  const all = route({ level: 'all' });
  const after = (sentMs: number | null) => dueNotices([cause()], [all], new Map([[told, sentMs]]), NOW);
  expect(after(null)).toEqual([]);
  expect(after(NOW - HOUR)).toEqual([]);
  expect(after(NOW - HOUR - 1).map((n) => n.reason)).toEqual(['worse']);
});

test('others are told when nobody took it up in time', () => {
  const others = route({ escalateAfterMs: 2 * HOUR });
  expect(reasons([cause()], [others])).toEqual([]);
  expect(reasons([cause({ fromMs: NOW - 2 * HOUR })], [others])).toEqual(['escalated']);
  expect(reasons([cause({ fromMs: NOW - 2 * HOUR, taken: true })], [others])).toEqual([]);
});

test('in quiet hours a notice waits for their end, over midnight and in the zone of the site', () => {
  // 23:00 UTC is midnight in Oslo; quiet is 22:00 to 06:30 there.
  const quiet = {
    kind: 'weekly',
    zone: 'Europe/Oslo',
    weekdays: [1, 2, 3, 4, 5, 6, 7],
    fromMin: 22 * 60,
    toMin: 390,
  } as const;
  const [notice] = dueNotices([cause()], [route({ quiet })], new Map(), NOW);
  expect(notice?.notBeforeMs).toBe(NOW + 6 * HOUR + 30 * MINUTE);
  expect(dueNotices([cause()], [route({ quiet: { ...quiet, toMin: 23 * 60 } })], new Map(), NOW)[0]?.notBeforeMs).toBe(
    NOW,
  );
});

test('a route that gathers sends at the end of its stretch, after quiet hours if they are on then', () => {
  const at = (over: Partial<Route>) => dueNotices([cause()], [route(over)], new Map(), NOW + MINUTE)[0]?.notBeforeMs;
  const hourEnd = NOW + HOUR;
  expect(at({ gatherMs: HOUR })).toBe(hourEnd);
  expect(at({ gatherMs: 4 * HOUR })).toBe(Date.UTC(2026, 2, 13));
  const day = Math.floor(hourEnd / DAY) * DAY;
  const quiet = { kind: 'dated' as const, fromMs: day, toMs: day + DAY };
  expect(at({ gatherMs: HOUR, quiet })).toBe(day + DAY);
});
