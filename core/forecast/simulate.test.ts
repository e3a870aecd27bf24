import fc from 'fast-check';
import { IndexHeap } from '@/core/forecast/index-heap';
import { SharedLines } from '@/core/forecast/shared-lines';
import type { ForecastInput, ForecastLane } from '@/core/forecast/forecast';
import { simulate } from '@/core/forecast/simulate';
import { TransferSimulation } from '@/core/flow/transfers';
import { HOUR, MINUTE, SECOND } from '@/core/units';

test('law: a heap gives back what it took, in order', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 50 })), (keys) => {
      const heap = new IndexHeap();
      keys.forEach((key, i) => heap.push(i, key));
      const order = keys.map((key, i) => [key, i] as const).sort((a, b) => a[0] - b[0] || a[1] - b[1]);
      expect(order.map(() => heap.pop())).toEqual(order.map(([, i]) => i));
      expect([heap.pop(), heap.size, heap.topKey]).toEqual([undefined, 0, Infinity]);
    }),
  );
});

test('law: by classes transfers end when they end one by one', () => {
  const job = fc.record({
    at: fc.integer({ min: 0, max: 50 }),
    over: fc.uniqueArray(fc.integer({ min: 0, max: 2 }), { minLength: 1 }),
    kb: fc.integer({ min: 1, max: 400 }),
  });
  fc.assert(
    fc.property(
      fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 3, maxLength: 3 }),
      fc.array(job, { minLength: 1, maxLength: 12 }),
      (rates, jobs) => {
        const sorted = jobs.toSorted((a, b) => a.at - b.at);
        const exact = new TransferSimulation(0, new Map(rates.map((r, i) => [String(i), r * 8000])));
        const byClass = new SharedLines(0, rates);
        const ends = new Map<number, number>();
        const carry = (toMs: number): void => {
          for (let next = byClass.nextMs(); next <= toMs; next = byClass.nextMs()) {
            byClass.moveTo(next);
            byClass.takeDone((item) => ends.set(item, next));
          }
          byClass.moveTo(toMs);
        };
        const expected = new Map<number, number>();
        const note = (toMs: number) => exact.advance(toMs).forEach((done) => expected.set(Number(done.key), done.atMs));
        sorted.forEach(({ at, over, kb }, i) => {
          note(at * 10);
          carry(at * 10);
          exact.start(String(i), over.map(String), kb * 1000);
          byClass.start(i, byClass.classFor(over.toSorted()), kb * 1000);
        });
        note(1e7);
        carry(1e7);
        expect(ends.size).toBe(jobs.length);
        // The other one rounds every completion up to a whole millisecond.
        for (const [i, at] of expected) expect(Math.abs((ends.get(i) as number) - at)).toBeLessThan(jobs.length + 1);
      },
    ),
    { numRuns: 150 },
  );
});

const START = Date.parse('2026-03-12T08:00Z');
const lane = (over: Partial<ForecastLane> = {}): ForecastLane => ({
  workload: 0,
  key: 'backup',
  cadence: { kind: 'every', everyMs: HOUR, offsetMs: 0 },
  shiftMs: 0,
  over: [0],
  mover: -1,
  setupMs: 0,
  bytesPerMs: 0,
  mostBytes: 1e12,
  lastTakenMs: START - HOUR,
  ...over,
});
const input = (over: Partial<ForecastInput> = {}): ForecastInput => ({
  fromMs: START,
  toMs: START + 6 * HOUR,
  resources: [{ id: 'line', bps: 8e6 }],
  movers: [{ id: 'm1', slots: 1 }],
  workloads: [{ id: 7, rpoMs: HOUR, priority: 1, newestTakenMs: START - 30 * MINUTE }],
  lanes: [lane()],
  binMs: HOUR,
  ...over,
});

// By definition of exposure (check 4-A1): an hourly lane that takes 20 min misses a 60 min RPO for 20 min every hour.
test('4-A1: hourly with 20 min until usable misses an hour every hour, and the cadence is named', () => {
  const { misses, runs } = simulate(input({ lanes: [lane({ setupMs: 20 * MINUTE })] }));
  expect(runs.count).toBe(5);
  expect(misses[0]).toMatchObject({ workloadId: 7, fromMs: START + 30 * MINUTE, cause: { kind: 'cadence' } });
  expect(misses.slice(1, 4).map((m) => (m.toMs as number) - m.fromMs)).toEqual([20, 20, 20].map((m) => m * MINUTE));
});
test('a line that is too slow is named, with its load', () => {
  // 1 MB/s; 0.9 kB a ms change, so an hour of changes takes 54 min.
  const { misses, load } = simulate(input({ lanes: [lane({ bytesPerMs: 900, lastTakenMs: START })] }));
  expect(misses.at(-1)?.cause).toEqual({ kind: 'line', id: 'line' });
  expect(load.get('line')?.[2]).toBeCloseTo(0.9, 3);
});
test('a slot that is taken is named', () => {
  const workloads = [1, 2].map((id) => ({ id, rpoMs: HOUR, priority: id, newestTakenMs: START - MINUTE }));
  const lanes = workloads.map((_, i) => lane({ workload: i, mover: 0, over: [], setupMs: 40 * MINUTE }));
  const { misses } = simulate(input({ workloads, lanes }));
  const second = misses.filter((m) => m.workloadId === 2 && m.toMs !== null);
  expect(second.length).toBeGreaterThan(0);
  expect(second.at(-1)?.cause).toEqual({ kind: 'slots', id: 'm1' });
});
test('one run a workload at a time; an occurrence that is overtaken is counted', () => {
  const lanes = [lane({ key: 'a', setupMs: 150 * MINUTE, over: [] }), lane({ key: 'b', over: [], setupMs: MINUTE })];
  const { runs, overtaken } = simulate(input({ lanes }));
  const spans = Array.from({ length: runs.count }, (_, i) => runs.at(i)).sort((a, b) => a.startMs - b.startMs);
  spans.slice(1).forEach((run, i) => expect(run.startMs).toBeGreaterThanOrEqual((spans[i] as { endMs: number }).endMs));
  expect(overtaken).toBeGreaterThan(0);
});
test.each<[string, Partial<ForecastInput>, string]>([
  ['no lane at all', { lanes: [] }, 'no-lane'],
  ['something in the way', { lanes: [lane({ blocked: true })] }, 'blocked'],
  ['a cadence longer than the forecast', { lanes: [lane({ cadence: { kind: 'by-hand' } })] }, 'cadence'],
])('%s: the miss stays open with its cause', (_name, over, kind) => {
  const { misses, over: byBin } = simulate(input(over));
  expect(misses).toEqual([{ workloadId: 7, fromMs: START + 30 * MINUTE, toMs: null, cause: { kind, id: null } }]);
  expect([...byBin]).toEqual([1, 1, 1, 1, 1, 1]);
});
test('no more than a full copy is sent, and the first is full', () => {
  const { runs } = simulate(input({ lanes: [lane({ lastTakenMs: null, bytesPerMs: 1, mostBytes: 6e8 })] }));
  const first = runs.at(0);
  expect(first.endMs - first.startMs).toBeCloseTo(600 * SECOND, 0);
});

test('law: nothing starts before it is due, nothing is over its line, and slots are never exceeded', () => {
  const anyLane = fc.record({
    workload: fc.nat(5),
    everyMin: fc.integer({ min: 5, max: 90 }),
    over: fc.uniqueArray(fc.nat(2), { maxLength: 2 }),
    mover: fc.integer({ min: -1, max: 1 }),
    setupMs: fc.integer({ min: 0, max: 20 }).map((m) => m * MINUTE),
    bytesPerMs: fc.integer({ min: 0, max: 400 }),
  });
  fc.assert(
    fc.property(fc.array(anyLane, { minLength: 1, maxLength: 10 }), (specs) => {
      const lanes = specs.map(({ everyMin, ...spec }) =>
        lane({
          ...spec,
          over: spec.over.toSorted(),
          cadence: { kind: 'every', everyMs: everyMin * MINUTE, offsetMs: 0 },
        }),
      );
      const workloads = Array.from({ length: 6 }, (_, id) => ({
        id,
        rpoMs: HOUR,
        priority: id % 3,
        newestTakenMs: START,
      }));
      const resources = [0, 1, 2].map((i) => ({ id: `r${i}`, bps: (i + 1) * 4e6 }));
      const movers = [
        { id: 'm0', slots: 1 },
        { id: 'm1', slots: 2 },
      ];
      const forecast = simulate(input({ lanes, workloads, resources, movers }));
      for (const bins of forecast.load.values()) for (const share of bins) expect(share).toBeLessThanOrEqual(1 + 1e-9);
      const runs = Array.from({ length: forecast.runs.count }, (_, i) => forecast.runs.at(i));
      for (const run of runs) expect(run.dueMs <= run.startMs && run.startMs <= run.endMs).toBe(true);
      for (const at of runs.map((run) => run.startMs))
        movers.forEach(({ slots }, m) => {
          const open = runs.filter((run) => lanes[run.lane]?.mover === m && run.startMs <= at && at < run.endMs);
          expect(open.length).toBeLessThanOrEqual(slots);
        });
    }),
    { numRuns: 60 },
  );
});

// Source: none; follows from what the cadences say.
test("a copy after a backup takes the backup's instant on as its own due; one that is blocked takes nothing", () => {
  const base = { workload: 0, over: [], mover: -1, bytesPerMs: 0, mostBytes: 0, lastTakenMs: 0 };
  const hourly = { kind: 'every', everyMs: HOUR, offsetMs: 0 } as const;
  const after = { kind: 'after', lane: 'backup' } as const;
  const { runs } = simulate({
    fromMs: 0,
    toMs: 3 * HOUR,
    resources: [],
    movers: [],
    workloads: [{ id: 7, rpoMs: HOUR, priority: 1, newestTakenMs: 0 }],
    lanes: [
      { ...base, key: 'backup', cadence: hourly, shiftMs: 0, setupMs: 10 * MINUTE },
      { ...base, key: 'copy', cadence: after, setupMs: 5 * MINUTE },
      { ...base, key: 'second', cadence: after, setupMs: 0, blocked: true },
    ],
    binMs: HOUR,
  });
  const of = (lane: number) =>
    Array.from({ length: runs.count }, (_, i) => runs.at(i)).filter((run) => run.lane === lane);
  expect(of(0).map((run) => run.endMs)).toEqual([HOUR + 10 * MINUTE, 2 * HOUR + 10 * MINUTE]);
  expect(of(1).map((run) => [run.dueMs, run.endMs])).toEqual([
    [HOUR + 10 * MINUTE, HOUR + 15 * MINUTE],
    [2 * HOUR + 10 * MINUTE, 2 * HOUR + 15 * MINUTE],
  ]);
  expect(of(2)).toEqual([]);
});

test('a continuous lane goes on by itself, and a line that is too slow makes it fall behind', () => {
  const forecast = (bps: number) =>
    simulate({
      fromMs: 0,
      toMs: HOUR,
      resources: [{ id: 'line', bps }],
      movers: [],
      workloads: [{ id: 7, rpoMs: 3 * MINUTE, priority: 1, newestTakenMs: 0 }],
      lanes: [
        {
          workload: 0,
          key: 'stream',
          cadence: { kind: 'continuous' },
          over: [0],
          mover: -1,
          setupMs: SECOND,
          bytesPerMs: 100,
          mostBytes: 1e9,
          lastTakenMs: 0,
        },
      ],
      binMs: HOUR,
    });
  expect(forecast(8e6).misses).toEqual([]);
  expect(forecast(8e6).runs.count).toBe(60);
  // 100 bytes a ms change, 80 are sent: each stretch takes a quarter longer than the one before.
  expect(forecast(640_000).misses.at(-1)?.cause).toEqual({ kind: 'line', id: 'line' });
});

const runsOf = (given: ForecastInput) => {
  const { runs } = simulate(given);
  return Array.from({ length: runs.count }, (_, i) => runs.at(i));
};

test('nothing starts while its lane is shut: the newest occurrence is made up for at the opening, and the miss says why', () => {
  const shut = [{ fromMs: START + 90 * MINUTE, toMs: START + 310 * MINUTE }];
  const given = input({ lanes: [lane({ shut, setupMs: MINUTE })] });
  expect(runsOf(given).map((run) => [run.dueMs - START, run.startMs - START].map((ms) => ms / MINUTE))).toEqual([
    [60, 60],
    [300, 310],
  ]);
  const { misses, overtaken } = simulate(given);
  expect(overtaken).toBe(3);
  expect(misses.at(-1)).toMatchObject({ toMs: START + 311 * MINUTE, cause: { kind: 'shut', id: null } });
});
test('a lane that is shut to the end leaves its miss open, and takes nobody’s slot', () => {
  const workloads = [1, 2].map((id) => ({ id, rpoMs: HOUR, priority: id, newestTakenMs: START }));
  const shut = [{ fromMs: START, toMs: START + 6 * HOUR }];
  const lanes = workloads.map((_, i) => lane({ workload: i, mover: 0, setupMs: MINUTE, ...(i === 0 ? { shut } : {}) }));
  const { misses } = simulate(input({ workloads, lanes }));
  expect(misses.filter((m) => m.workloadId === 1)).toMatchObject([{ toMs: null, cause: { kind: 'shut' } }]);
  expect(misses.filter((m) => m.workloadId === 2).every((m) => m.cause.kind === 'cadence')).toBe(true);
  expect(runsOf(input({ workloads, lanes })).every((run) => run.lane === 1)).toBe(true);
});
test('one that waits for a slot while its window shuts does not start when the slot is free', () => {
  const workloads = [1, 2].map((id) => ({ id, rpoMs: HOUR, priority: id, newestTakenMs: START }));
  const shut = [{ fromMs: START + 305 * MINUTE, toMs: START + 330 * MINUTE }];
  const lanes = [
    lane({ mover: 0, setupMs: 20 * MINUTE }),
    lane({
      workload: 1,
      mover: 0,
      setupMs: MINUTE,
      shut,
      cadence: { kind: 'every', everyMs: 6 * HOUR, offsetMs: 61 * MINUTE },
    }),
  ];
  const second = runsOf(input({ workloads, lanes })).filter((run) => run.lane === 1);
  // Due at 13:01, 301 min from the start; the slot is taken from 300 to 320.
  expect(second.map((run) => (run.startMs - START) / MINUTE)).toEqual([330]);
});
test('a throttle counts from its turn on, and to its end', () => {
  const at = (minutes: number, bps: number) => ({ atMs: START + minutes * MINUTE, bps });
  const turns = [at(0, 8e6), at(70, 2e6), at(90, 8e6)];
  const resources = [{ id: 'line', bps: 8e6, turns }];
  // 1800 s at 1 MB/s: 10 min in full, 20 min at a quarter, 15 min in full again.
  const [first] = runsOf(input({ resources, lanes: [lane({ bytesPerMs: 900, mostBytes: 1.8e9 })] }));
  expect(((first?.endMs ?? 0) - START) / MINUTE).toBeCloseTo(60 + 10 + 20 + 15, 6);
});
