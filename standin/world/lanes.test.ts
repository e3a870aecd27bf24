/** Streams, captures, shipments and throttles of the world by themselves: no database, no engine. */
import { DAY, GIB, HOUR, MINUTE, SECOND } from '@/core/units';
import type { Estate } from '@/standin/world/estate';
import { WorldRefusal } from '@/standin/world/refusal';
import { World } from '@/standin/world/world';

const T0 = Date.parse('2026-03-12T07:00:00Z');
const STORE = { kind: 'datastore', id: 2 } as const;
const workload = (id: number) => ({
  id,
  name: `vm-${id}`,
  siteId: 1,
  guestAgent: true,
  bootSeconds: 60,
  serviceSeconds: 10,
  disks: [
    {
      id,
      seed: id + 70,
      imageSeed: 1,
      role: 'data' as const,
      sizeBytes: 100 * GIB,
      activeShare: 0.2,
      periodMs: 6 * HOUR,
    },
  ],
});
const estate: Estate = {
  bornMs: T0 - 30 * DAY,
  sites: [
    { id: 1, code: 'OST', name: 'Ostgate' },
    { id: 2, code: 'MIL', name: 'Millbrook' },
  ],
  links: [{ id: 1, name: 'line', siteA: 1, siteB: 2, rateBps: 1e9 }],
  movers: [
    { id: 1, siteId: 1, name: 'm1', rateBps: 10e9 },
    { id: 2, siteId: 2, name: 'm2', rateBps: 10e9 },
  ],
  places: [{ kind: 'datastore', id: 2, siteId: 2, name: 'mil-s1', capacityBytes: 1e15 }],
  workloads: [workload(1), workload(2), workload(3)],
};

function refusal(act: () => unknown): string {
  try {
    act();
  } catch (error) {
    if (error instanceof WorldRefusal) return `${error.code} ${error.subject}`;
    throw error;
  }
  return 'done';
}

/** A world in which machine 1 streams since T0 + 1 h. */
function streaming(): World {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, 'crash');
  world.startTransfer({ key: 'c1', snapshotKey: 's1', kind: 'stream', place: STORE, excludeRoles: [] });
  world.transfers.advance(T0 + HOUR);
  world.openStream({ key: 't1', copyKey: 'c1', place: STORE, journalMs: 2 * HOUR });
  return world;
}
const stream = (world: World) => {
  const [only] = world.streams.list();
  if (!only) throw new Error('there is no stream');
  return only;
};
const asWritten = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;
const again = (world: World): World => {
  const other = new World(estate, world.nowMs);
  for (const copy of world.copies.all('datastore:2')) other.copies.add('datastore:2', copy);
  other.restore(asWritten(world.moment()), asWritten(world.inFlight()));
  return other;
};

test('a stream that was opened on an old copy catches up, and then is two seconds behind', () => {
  const world = streaming();
  expect(stream(world).state).toBe('behind');
  expect(stream(world).throughMs).toBeLessThan(T0 + MINUTE);
  for (let i = 0; i < 20; i++) {
    world.transfers.advance(world.nowMs + MINUTE);
    world.streams.advance();
  }
  const { state, throughMs, spans, behindBytes } = stream(world);
  expect([state, world.nowMs - throughMs, behindBytes]).toEqual(['flowing', 2 * SECOND, expect.any(Number)]);
  expect(spans).toEqual([{ fromMs: T0, toMs: throughMs }]);
});

test('a journal takes what was written in its span: it grows to it, and is gone with its stream', () => {
  const world = streaming();
  const used = () => world.streams.journalBytes(STORE.id);
  const pass = (minutes: number): number => {
    for (let i = 0; i < minutes; i++) {
      world.transfers.advance(world.nowMs + MINUTE);
      world.streams.advance();
    }
    return used();
  };
  const [early, full, later] = [pass(30), pass(90), pass(60)];
  expect(early).toBeGreaterThan(0);
  expect(full).toBeGreaterThan(early);
  // Two hours of writes at any time: by the shape of the day a little more or less.
  expect(later / full).toBeGreaterThan(0.8);
  expect(later / full).toBeLessThan(1.25);
  // The disk changes a fifth of 100 GiB in six hours at the most.
  expect(full).toBeLessThan(20 * GIB);
  const place = world.place(STORE);
  const withJournal = world.usedBytes(place);
  world.streams.close('t1');
  expect(withJournal - world.usedBytes(place)).toBe(later);
});

test('its journal holds no more than its span, and a point of any second has what the disk held then', () => {
  const world = streaming();
  for (let i = 0; i < 30; i++) {
    world.transfers.advance(world.nowMs + 10 * MINUTE);
    world.streams.advance();
  }
  const { throughMs, spans } = stream(world);
  expect(spans).toEqual([{ fromMs: throughMs - 2 * HOUR, toMs: throughMs }]);
  const atMs = throughMs - 71 * MINUTE - 13 * SECOND;
  const mark = world.markStream('t1', 'm1', atMs);
  expect(mark?.takenMs).toBe(atMs);
  const copy = world.requireCopy(STORE, 'm1');
  expect(mark?.digest).toBe(world.reading.digestFromScratch(copy));
  expect(world.verifyCopy(STORE, 'm1').digest).toBe(mark?.digest);
  expect(world.markStream('t1', 'm1', throughMs)?.takenMs).toBe(atMs);
  expect(refusal(() => world.markStream('t1', 'm2', throughMs - 3 * HOUR))).toBe('not-in-journal vm-1');
  expect(world.markStream('t9', 'm3', atMs)).toBeNull();
});

test.each([
  ['link-cut', 'line', 'link-down line'],
  ['mover-killed', 'm2', 'mover-gone m2'],
] as const)('%s stops it where it is; healed, no second is missing', (kind, subject, said) => {
  const world = streaming();
  world.transfers.advance(world.nowMs + 30 * MINUTE);
  const before = stream(world).throughMs;
  world.setFault({ kind, subject });
  world.transfers.advance(world.nowMs + 20 * MINUTE);
  expect(stream(world)).toMatchObject({ state: 'broken', throughMs: before });
  expect(refusal(() => world.markStream('t1', 'm1', world.nowMs))).toBe(said);
  expect(world.markStream('t1', 'm2', before - SECOND)?.takenMs).toBe(before - SECOND);
  world.clearFault(kind, subject);
  for (let i = 0; i < 10; i++) {
    world.transfers.advance(world.nowMs + MINUTE);
    world.streams.advance();
  }
  expect(stream(world)).toMatchObject({ state: 'flowing', spans: [{ fromMs: T0 }] });
});

test('a cut that outlasts the staging buffer leaves a gap in the journal', () => {
  const heavy = {
    ...workload(1),
    disks: [{ ...workload(1).disks[0]!, sizeBytes: 4000 * GIB, activeShare: 1, periodMs: HOUR }],
  };
  const world = new World({ ...estate, workloads: [heavy], links: [{ ...estate.links[0]!, rateBps: 40e9 }] }, T0);
  world.takeSnapshot('s1', 1, 'crash');
  world.startTransfer({ key: 'c1', snapshotKey: 's1', kind: 'stream', place: STORE, excludeRoles: [] });
  world.transfers.advance(T0 + HOUR);
  world.openStream({ key: 't1', copyKey: 'c1', place: STORE, journalMs: 12 * HOUR });
  const pass = (minutes: number): void => {
    for (let i = 0; i < minutes; i++) {
      world.transfers.advance(world.nowMs + MINUTE);
      world.streams.advance();
    }
  };
  pass(60);
  world.setFault({ kind: 'link-cut', subject: 'line' });
  const cutMs = world.nowMs;
  pass(120);
  expect(stream(world).behindBytes).toBeGreaterThan(50 * GIB);
  world.clearFault('link-cut', 'line');
  pass(120);
  const { spans } = stream(world);
  // The hour before it was opened was too much for the buffer, too.
  expect(spans).toHaveLength(3);
  expect(spans[1]?.toMs).toBeLessThanOrEqual(cutMs);
  expect(spans[2]?.fromMs).toBeGreaterThan(cutMs);
  expect(refusal(() => world.markStream('t1', 'm1', cutMs + MINUTE))).toBe('not-in-journal vm-1');
});

test('streams, captures, shipments and throttles survive a restart', () => {
  const world = streaming();
  world.transfers.advance(world.nowMs + 30 * MINUTE);
  world.takeTogether(
    'g',
    { key: 's2', workloadId: 2 },
    [
      { key: 's2', workloadId: 2 },
      { key: 's3', workloadId: 3 },
    ],
    'application',
  );
  const capturedMs = world.nowMs;
  const arrivesMs = world.shipDisk('s2', STORE, []);
  const throttle = {
    when: { kind: 'weekly', zone: 'UTC', weekdays: [4], fromMin: 0, toMin: 0 },
    rateBps: 5e6,
  } as const;
  world.transfers.throttle(1, [throttle]);
  const before = stream(world);
  const other = again(world);
  expect(stream(other)).toEqual(before);
  expect(other.transfers.throttlesOf(1)).toEqual([throttle]);
  other.transfers.advance(other.nowMs + HOUR);
  expect(other.takeTogether('g', { key: 's3', workloadId: 3 }, [], 'application').takenMs).toBe(capturedMs);
  expect(other.shipDisk('s2', STORE, [])).toBe(arrivesMs);
});

test('together: all at one instant or none; whoever has lost its snapshot gets one of its own', () => {
  const world = new World(estate, T0);
  const names = [1, 2, 3].map((workloadId) => ({ key: `s${workloadId}`, workloadId }));
  const take = (own: number) => world.takeTogether('g', names[own]!, names, 'application');
  world.setFault({ kind: 'freeze-timeout', subject: 'vm-3' });
  expect(refusal(() => take(0))).toBe('freeze-timeout vm-3');
  expect(world.snapshots.byKey.size).toBe(0);
  world.clearFault('freeze-timeout', 'vm-3');
  expect(take(0)).toMatchObject({ takenMs: T0, consistency: 'application' });
  world.transfers.advance(T0 + HOUR);
  expect(take(1).takenMs).toBe(T0);
  world.releaseSnapshot('s2');
  expect(take(1).takenMs).toBe(T0 + HOUR);
  for (const { key } of names) world.releaseSnapshot(key);
  expect(take(2).takenMs).toBe(T0 + HOUR);
});

test('a shipped disk takes two days; then only what changed since goes over the line, and the ground goes with the first copy', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, 'crash');
  expect(world.shipDisk('s1', STORE, [])).toBe(T0 + 2 * DAY);
  world.transfers.advance(T0 + DAY);
  expect(world.shipDisk('s1', STORE, [])).toBe(T0 + 2 * DAY);
  world.transfers.advance(T0 + 2 * DAY);
  expect(world.shipDisk('s1', STORE, [])).toBe(world.nowMs);
  world.takeSnapshot('s9', 1, 'crash');
  const full = new World(estate, T0);
  full.takeSnapshot('s1', 1, 'crash');
  const { sendBytes } = world.readChanges('s9', STORE, []);
  expect(sendBytes).toBeLessThan(full.readChanges('s1', STORE, []).sendBytes / 2);
  world.startTransfer({ key: 'c9', snapshotKey: 's9', kind: 'replica', place: STORE, excludeRoles: [] });
  world.transfers.advance(world.nowMs + HOUR);
  expect(world.copies.all('datastore:2').map((copy) => copy.key)).toEqual(['c9']);
});

test('compression and encryption change what goes over the line and how fast, not what is stored', () => {
  const sent = (sending?: Parameters<World['startTransfer']>[0]['sending']) => {
    const world = new World({ ...estate, links: [{ ...estate.links[0]!, rateBps: 100e9 }] }, T0);
    world.takeSnapshot('s1', 1, 'crash');
    const order = { key: 'c1', snapshotKey: 's1', kind: 'replica', place: STORE, excludeRoles: [] } as const;
    world.startTransfer(sending ? { ...order, sending } : order);
    world.transfers.advance(T0 + HOUR);
    const { totalBytes, completedMs } = world.transfers.progress('c1');
    return { totalBytes, took: (completedMs ?? Infinity) - T0, stored: world.copies.usedBytes('datastore:2') };
  };
  const usual = sent();
  const plain = sent({ compression: 'none', encrypted: false });
  const strong = sent({ compression: 'strong', encrypted: true });
  expect(plain.totalBytes).toBe(2 * usual.totalBytes);
  expect(strong.totalBytes).toBeLessThan(usual.totalBytes);
  // 10 Gbit/s of the mover, of which 0.4 x 0.7 are left: fewer bytes, and yet later.
  expect(strong.took).toBeGreaterThan(usual.took);
  expect(new Set([usual.stored, plain.stored, strong.stored]).size).toBe(1);
});

test('a throttle holds a transfer back in its hours, to the minute', () => {
  const world = new World(estate, T0);
  const hours = { kind: 'weekly', zone: 'UTC', weekdays: [4], fromMin: 0, toMin: 7 * 60 + 30 } as const;
  world.transfers.throttle(1, [{ when: hours, rateBps: 8e6 }]);
  world.takeSnapshot('s1', 1, 'crash');
  world.startTransfer({ key: 'c1', snapshotKey: 's1', kind: 'replica', place: STORE, excludeRoles: [] });
  world.transfers.advance(T0 + 20 * MINUTE);
  expect(world.transfers.progress('c1').rateBps).toBe(8e6);
  world.transfers.advance(T0 + 30 * MINUTE);
  expect(world.transfers.progress('c1').rateBps).toBe(1e9);
});
