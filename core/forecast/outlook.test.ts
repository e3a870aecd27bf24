import { outlookOf, upcomingCauses } from '@/core/forecast/outlook';
import type { ForecastInput, MissCause, PredictedMiss } from '@/core/forecast/forecast';
import { simulate } from '@/core/forecast/simulate';
import { pack, unpack } from '@/core/forecast/wire';
import { HOUR, MINUTE } from '@/core/units';

const NOW = Date.parse('2026-03-12T08:00Z');
const miss = (workloadId: number, inMin: number, cause: MissCause): PredictedMiss => ({
  workloadId,
  fromMs: NOW + inMin * MINUTE,
  toMs: null,
  cause,
});
const slow: MissCause = { kind: 'line', id: 'Ostgate – Norde' };

test('misses fold by cause, the soonest first; what is over already or far away is left out', () => {
  const causes = upcomingCauses(
    [
      miss(1, 90, slow),
      miss(2, 30, slow),
      miss(1, 100, slow),
      miss(3, 20, { kind: 'slots', id: 'ost-m1' }),
      miss(4, 0, slow),
      miss(5, 400, slow),
    ],
    NOW,
    4 * HOUR,
  );
  expect(causes.map((c) => [c.words, c.workloadIds, (c.firstMs - NOW) / MINUTE])).toEqual([
    ['every slot of ost-m1 is taken', [3], 20],
    ['Ostgate – Norde is too slow for what must be sent', [1, 2], 30],
  ]);
});
test.each<[MissCause, RegExp]>([
  [{ kind: 'cadence', id: null }, /too late/],
  [{ kind: 'workload-busy', id: null }, /another run/],
  [{ kind: 'shut', id: null }, /paused, or outside/],
  [{ kind: 'blocked', id: null }, /fail/],
  [{ kind: 'no-lane', id: null }, /no policy/],
  [{ kind: 'slots', id: null }, /the mover/],
  [{ kind: 'line', id: null }, /the line/],
])('%j reads in words', (cause, words) => {
  expect(upcomingCauses([miss(1, 1, cause)], NOW, HOUR)[0]?.words).toMatch(words);
});

const input: ForecastInput = {
  fromMs: NOW,
  toMs: NOW + 6 * HOUR,
  binMs: HOUR,
  resources: [{ id: 'line', bps: 8e6 }],
  movers: [{ id: 'm', slots: 2 }],
  workloads: [0, 1].map((id) => ({ id, rpoMs: HOUR, priority: 1, newestTakenMs: NOW })),
  lanes: [0, 1, 1].map((workload, i) => ({
    workload,
    key: i === 2 ? 'backup' : 'replica',
    cadence: { kind: 'every' as const, everyMs: (40 + 20 * i) * MINUTE, offsetMs: 0 },
    over: [0],
    mover: 0,
    setupMs: MINUTE,
    bytesPerMs: 100.5,
    mostBytes: 1e9,
    lastTakenMs: i === 2 ? null : NOW,
    blocked: i === 1,
    ...(i === 0 ? { shiftMs: 7 * MINUTE, shut: [{ fromMs: NOW + HOUR, toMs: NOW + 2 * HOUR }] } : {}),
  })),
};
test('what goes over the wire gives the same forecast', () => {
  const packed = JSON.parse(JSON.stringify(pack(input))) as ReturnType<typeof pack>;
  expect(unpack(packed)).toEqual(input);
  expect([packed.cadences.length, packed.ways.length]).toEqual([3, 1]);
  const outlook = outlookOf(simulate(unpack(packed)), input, 4 * HOUR);
  expect(outlook).toEqual(outlookOf(simulate(input), input, 4 * HOUR));
  expect(outlook.over).toHaveLength(6);
});
