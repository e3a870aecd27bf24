import { bedPath, layoutSoundings, placeLabels, type Sounding } from '@/ui/watch/soundings-layout';

const MIN = 60_000;
const sounding = (id: number, over: Partial<Sounding> = {}): Sounding => ({
  id,
  label: `vm-${id}`,
  application: 'App',
  tier: 1,
  site: 'Ostgate',
  rpoMs: 15 * MIN,
  exposureMs: 5 * MIN,
  medianMs: null,
  standing: 'inside',
  unproven: false,
  takenMs: 0,
  overAtMs: 10 * MIN,
  provenMs: null,
  members: 1,
  over: 0,
  workloadIds: [id],
  ...over,
});

test('as many bars as soundings, within the width, in order', () => {
  const list = Array.from({ length: 184 }, (_, i) =>
    sounding(i, { tier: 1 + (i >> 6), site: i % 64 < 30 ? 'Ostgate' : 'Norde' }),
  );
  const { bars, blocks } = layoutSoundings(list, 1206, 220, 'site');
  expect(bars).toHaveLength(184);
  expect(Math.max(...bars.map((b) => b.x + b.width / 2))).toBeLessThanOrEqual(1206);
  expect(bars.every((b, i) => i === 0 || b.x > (bars[i - 1]?.x ?? 0))).toBe(true);
  expect(blocks.map((b) => b.sites.map((s) => s.name))).toEqual([
    ['Ostgate', 'Norde'],
    ['Ostgate', 'Norde'],
    ['Ostgate', 'Norde'],
  ]);
});

test('a bar at its RPO reaches the bed, one without any point the floor', () => {
  const { bars, blocks } = layoutSoundings(
    [sounding(1, { exposureMs: 15 * MIN }), sounding(2, { exposureMs: null, standing: 'over' })],
    600,
    200,
    'site',
  );
  expect(bars[0]?.height).toBe(blocks[0]?.bed);
  expect(bars[1]).toMatchObject({ height: 194, cut: true });
});

test('longest first sorts inside each tier', () => {
  const { bars } = layoutSoundings([sounding(1), sounding(2, { exposureMs: 9 * MIN })], 600, 200, 'longest');
  expect(bars.map((b) => b.sounding.id)).toEqual([2, 1]);
});

test('labels name two at most, then count, and do not lie on each other', () => {
  const over = (id: number, site = 'Ostgate') =>
    sounding(id, { standing: 'over', over: 1, exposureMs: (20 + id) * MIN, site });
  const words = { over: (ms: number) => `${ms / MIN} min`, at: () => '09:00' };
  const layout = layoutSoundings([over(1), over(2), over(3), over(4, 'Norde')], 600, 260, 'site');
  const labels = placeLabels(layout, 600, 20, 280, words);
  expect(labels.map((l) => [l.head, l.tail])).toEqual([
    ['3 over', 'over by 6 min to 8 min'],
    ['vm-4', 'over by 9 min'],
  ]);
  expect(Math.abs((labels[0]?.y ?? 0) - (labels[1]?.y ?? 0))).toBeGreaterThanOrEqual(32);
});

test('beds step from tier to tier', () => {
  const { blocks } = layoutSoundings([sounding(1), sounding(2, { tier: 2 })], 600, 200, 'site');
  expect(bedPath(blocks, 1, 20, -24, 624)).toMatch(/^M-24 120L.*C.*L624 140$/);
});
