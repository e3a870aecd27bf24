import type { LaneKind } from '@/core/protect/policy';
import type { Consistency } from '@/core/protect/policy';
import { GIB, HOUR, MINUTE } from '@/core/units';
import type { Estate } from '@/standin/world/estate';
import { CloneYard } from '@/standin/world/clones';
import { WorldRefusal } from '@/standin/world/refusal';
import { World } from '@/standin/world/world';

const T0 = Date.parse('2026-02-02T00:00Z');
const estate: Estate = {
  bornMs: T0 - 24 * HOUR,
  sites: [
    { id: 1, code: 'OST', name: 'Ostgate' },
    { id: 2, code: 'MIL', name: 'Millbrook' },
  ],
  links: [{ id: 1, name: 'line', siteA: 1, siteB: 2, rateBps: 80e6 }],
  movers: [{ id: 1, siteId: 1, name: 'm', rateBps: 10e9 }],
  places: [
    { kind: 'repository', id: 1, siteId: 2, name: 'mil-r1', capacityBytes: 1e13 },
    { kind: 'datastore', id: 2, siteId: 2, name: 'mil-s1', capacityBytes: 1e13 },
  ],
  workloads: [1, 2].map((id) => ({
    id,
    name: `vm-${id}`,
    siteId: 1,
    guestAgent: id === 1,
    bootSeconds: 60,
    serviceSeconds: 20,
    disks: [
      { id, seed: id, imageSeed: 5, role: 'data' as const, sizeBytes: GIB, activeShare: 0.1, periodMs: 6 * HOUR },
    ],
  })),
};
const REPO = { kind: 'repository', id: 1 } as const;
const STORE = { kind: 'datastore', id: 2 } as const;

function refusal(work: () => unknown): string {
  try {
    work();
  } catch (error) {
    if (error instanceof WorldRefusal) return `${error.code} ${error.subject}`;
    throw error;
  }
  return 'done';
}

const order = (key: string, snapshotKey: string, kind: LaneKind, place: typeof REPO | typeof STORE) => ({
  key,
  snapshotKey,
  kind,
  place,
  excludeRoles: [],
});

/** A copy of workload 1 at a place, complete. */
function copied(world: World, place: typeof REPO | typeof STORE = STORE, key = 'c1'): void {
  world.takeSnapshot(`s-${key}`, 1, 'crash');
  world.startTransfer(order(key, `s-${key}`, 'replica', place));
  world.transfers.advance(world.nowMs + HOUR);
}

test('a snapshot holds the instant it was first taken, whoever asks again', () => {
  const world = new World(estate, T0);
  const first = world.takeSnapshot('s1', 1, 'crash');
  world.transfers.advance(T0 + MINUTE);
  expect(world.takeSnapshot('s1', 1, 'crash')).toEqual(first);
});

test('a transfer completes after its bytes and its setup, and the copy reads back as the source was', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, 'crash');
  const { digest, sendBytes } = world.readChanges('s1', STORE, []);
  world.startTransfer(order('c1', 's1', 'replica', STORE));
  const { completedMs: early, expectedMs } = world.transfers.progress('c1');
  expect(early).toBeNull();
  world.transfers.advance(T0 + HOUR);
  const { completedMs, totalBytes } = world.transfers.progress('c1');
  expect(totalBytes).toBe(sendBytes);
  expect(Math.abs((completedMs as number) - (expectedMs as number))).toBeLessThanOrEqual(1);
  expect((completedMs as number) - T0).toBeGreaterThanOrEqual((sendBytes * 8) / 80e6);
  expect(world.verifyCopy(STORE, 'c1').digest).toBe(digest);
});

test.each<[string, Parameters<World['setFault']>[0], string]>([
  ['a silent site', { kind: 'site-down', subject: 'Ostgate' }, 'site-no-answer Ostgate'],
  ['wrong credentials', { kind: 'guest-credentials', subject: 'vm-1' }, 'guest-credentials vm-1'],
])('%s refuses a frozen snapshot by its cause, and heals', (_name, fault, said) => {
  const world = new World(estate, T0);
  world.setFault(fault);
  expect(refusal(() => world.takeSnapshot('s', 1, 'application'))).toBe(said);
  world.clearFault(fault.kind, fault.subject);
  expect(refusal(() => world.takeSnapshot('s', 1, 'application'))).toBe('done');
});

test('a machine without guest agent cannot be frozen, but can be copied', () => {
  const world = new World(estate, T0);
  expect(refusal(() => world.takeSnapshot('s', 2, 'application'))).toBe('guest-agent-missing vm-2');
  expect(refusal(() => world.takeSnapshot('s', 2, 'crash'))).toBe('done');
});

test('a cut link fails what is under way and refuses what comes, a full repository too', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, 'crash');
  world.startTransfer(order('c1', 's1', 'backup', REPO));
  world.setFault({ kind: 'link-cut', subject: 'line' });
  expect(world.transfers.progress('c1').failure?.code).toBe('link-down');
  expect(refusal(() => world.startTransfer(order('c2', 's1', 'backup', REPO)))).toBe('link-down line');
  world.clearFault('link-cut', 'line');
  world.setFault({ kind: 'repository-full', subject: 'mil-r1' });
  expect(refusal(() => world.startTransfer(order('c2', 's1', 'backup', REPO)))).toBe('repository-full mil-r1');
});

test('a slow link takes longer', () => {
  const time = (factor: number | null) => {
    const world = new World(estate, T0);
    if (factor !== null) world.setFault({ kind: 'link-slow', subject: 'line', factor });
    copied(world);
    return (world.transfers.progress('c1').completedMs as number) - T0;
  };
  expect(time(0.05)).toBeGreaterThan(time(null) * 3);
});

test('a cancelled transfer leaves nothing, also when it was complete', () => {
  const world = new World(estate, T0);
  copied(world);
  world.cancelTransfer('c1');
  expect(refusal(() => world.verifyCopy(STORE, 'c1'))).toBe('unknown-subject copy c1');
  expect(world.copies.usedBytes('datastore:2')).toBe(0);
});

const asWritten = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

test('what is in flight survives a restart: it completes where it stood', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, 'crash');
  world.startTransfer(order('c1', 's1', 'replica', STORE));
  world.transfers.advance(T0 + 10_000);
  const again = new World(estate, world.nowMs);
  again.restore(asWritten(world.moment()), asWritten(world.inFlight()));
  world.transfers.advance(T0 + HOUR);
  again.transfers.advance(T0 + HOUR);
  expect(again.transfers.progress('c1').completedMs).toBe(world.transfers.progress('c1').completedMs);
});

test('a transfer that is done and that nobody asks for any more is forgotten after a day; its copy stays', () => {
  const world = new World(estate, T0);
  copied(world);
  world.transfers.advance(T0 + 24 * HOUR);
  expect(world.inFlight().transfers.map(({ key }) => key)).toEqual(['c1']);
  world.transfers.advance(T0 + 27 * HOUR);
  expect(world.inFlight().transfers).toEqual([]);
  expect(world.requireCopy(STORE, 'c1').workloadId).toBe(1);
});

describe('clones', () => {
  const request = {
    key: 'd1',
    placeKind: STORE.kind,
    placeId: STORE.id,
    copyKey: 'c1',
    networkId: 4,
    address: '192.0.2.5',
  };

  test('clone, boot and checks follow each other in time; the content is the copy’s', () => {
    const world = new World(estate, T0);
    copied(world);
    const yard = new CloneYard(world);
    const { readyMs } = yard.create(request);
    const bootedMs = yard.boot('d1');
    expect(bootedMs).toBeGreaterThan(readyMs);
    expect(refusal(() => yard.check('d1', 'ping'))).toBe('check-failed vm-1');
    world.transfers.advance(bootedMs);
    expect(yard.check('d1', 'port').passedMs).toBeGreaterThan(bootedMs);
    expect(yard.digest('d1')).toBe(world.verifyCopy(STORE, 'c1').digest);
    yard.remove('d1');
    expect(yard.clones.size).toBe(0);
  });

  test('one address cannot be used twice in a network; the same key twice is one clone', () => {
    const world = new World(estate, T0);
    copied(world);
    const yard = new CloneYard(world);
    yard.create(request);
    expect(yard.create(request)).toBe(yard.clones.get('d1'));
    expect(refusal(() => yard.create({ ...request, key: 'd2' }))).toBe('drill-network 192.0.2.5');
  });

  test('a rotten block shows in the clone; a service that does not start fails its check', () => {
    const world = new World(estate, T0);
    copied(world);
    const good = world.verifyCopy(STORE, 'c1').digest;
    world.setFault({ kind: 'rotten-block', subject: 'mil-s1' });
    world.setFault({ kind: 'check-fails', subject: 'vm-1' });
    const yard = new CloneYard(world);
    yard.create(request);
    expect(yard.digest('d1')).not.toBe(good);
    world.transfers.advance(yard.boot('d1'));
    expect(refusal(() => yard.check('d1', 'query'))).toBe('check-failed vm-1');
  });
});

/** Two copies at the repository that share what was not written between them, and one at the datastore. */
function threeCopies(world: World): void {
  for (const [key, place] of [
    ['a', REPO],
    ['b', REPO],
    ['c', STORE],
  ] as const)
    copied(world, place, key);
}
const bad = (world: World) =>
  (['a', 'b'] as const).filter((key) => {
    const copy = world.requireCopy(REPO, key);
    return world.verifyCopy(REPO, key).digest !== world.reading.digestFromScratch({ ...copy, rottenBlocks: [] });
  });

test('a rotten block spoils every copy of its place that holds it, and no other place', () => {
  const world = new World(estate, T0);
  threeCopies(world);
  expect(bad(world)).toEqual([]);
  world.setFault({ kind: 'rotten-block', subject: 'mil-r1' });
  // An hour apart, a cold block is the same in both.
  expect(bad(world)).toEqual(['a', 'b']);
  const c = world.requireCopy(STORE, 'c');
  expect(world.verifyCopy(STORE, 'c').digest).toBe(world.reading.digestFromScratch(c));
});

test('repair writes the block anew for all that share it; from another instant or another machine it is refused', () => {
  const world = new World(estate, T0);
  threeCopies(world);
  world.startCopy('a2', { ...REPO, copyKey: 'a' }, STORE);
  world.transfers.advance(world.nowMs + HOUR);
  world.setFault({ kind: 'rotten-block', subject: 'mil-r1' });
  expect(refusal(() => world.repairCopy(REPO, 'a', { ...STORE, copyKey: 'c' }))).toBe('unknown-subject a');
  expect(bad(world)).toEqual(['a', 'b']);
  world.repairCopy(REPO, 'a', { ...STORE, copyKey: 'a2' });
  expect(bad(world)).toEqual([]);
});

test('what is rotten goes along with a copy, so it reads back wrong there too', () => {
  const world = new World(estate, T0);
  copied(world, REPO, 'a');
  world.setFault({ kind: 'rotten-block', subject: 'mil-r1' });
  world.startCopy('a2', { ...REPO, copyKey: 'a' }, STORE);
  world.transfers.advance(world.nowMs + HOUR);
  expect(world.verifyCopy(STORE, 'a2').digest).toBe(world.verifyCopy(REPO, 'a').digest);
  expect(refusal(() => world.repairCopy(REPO, 'a', { ...STORE, copyKey: 'a2' }))).toBe('corrupt-copy a');
});

test('deleting a copy sets free what no other copy needs, and says how much', () => {
  const world = new World(estate, T0);
  const place = world.place(REPO);
  for (const key of ['a', 'b', 'c']) copied(world, REPO, key);
  for (const key of ['b', 'a', 'c']) {
    const before = world.usedBytes(place);
    const freed = world.deleteCopy(REPO, key);
    expect(Math.abs(before - world.usedBytes(place) - freed)).toBeLessThanOrEqual(1);
    expect(freed).toBeGreaterThan(0);
  }
  expect([world.deleteCopy(REPO, 'a'), Math.round(world.usedBytes(place))]).toEqual([0, 0]);
});

test('a locked copy stays until its date, by deletion and by cancelling alike; a lock is only made longer', () => {
  const world = new World(estate, T0);
  copied(world, REPO, 'a');
  const until = world.nowMs + 2 * HOUR;
  world.lockCopy(REPO, 'a', until);
  world.lockCopy(REPO, 'a', T0);
  expect(refusal(() => world.deleteCopy(REPO, 'a'))).toBe('immutable mil-r1');
  expect(refusal(() => world.cancelTransfer('a'))).toBe('immutable mil-r1');
  world.transfers.advance(until);
  expect(refusal(() => world.deleteCopy(REPO, 'a'))).toBe('done');
  expect(refusal(() => world.requireCopy(REPO, 'a'))).toBe('unknown-subject copy a');
});

test('a read-only repository takes nothing in and lets nothing go, and still reads', () => {
  const world = new World(estate, T0);
  copied(world, REPO, 'a');
  world.setFault({ kind: 'repository-read-only', subject: 'mil-r1' });
  expect(refusal(() => world.deleteCopy(REPO, 'a'))).toBe('repository-read-only mil-r1');
  world.takeSnapshot('s2', 1, 'crash');
  expect(refusal(() => world.startTransfer(order('b', 's2', 'backup', REPO)))).toBe('repository-read-only mil-r1');
  expect(refusal(() => world.verifyCopy(REPO, 'a'))).toBe('done');
});

test('a killed mover breaks what it sends, and takes nothing until it is back', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s', 1, 'crash');
  world.startTransfer(order('a', 's', 'replica', STORE));
  world.transfers.advance(T0 + 1000);
  world.setFault({ kind: 'mover-killed', subject: 'm' });
  expect(world.transfers.progress('a').failure).toMatchObject({ code: 'mover-gone', subject: 'm' });
  expect(refusal(() => world.startTransfer(order('b', 's', 'replica', STORE)))).toBe('mover-gone m');
  world.clearFault('mover-killed', 'm');
  expect(refusal(() => world.startTransfer(order('a', 's', 'replica', STORE)))).toBe('done');
});

test('a lossy link carries what loss lets through (Mathis), never more than the line', () => {
  // 16 streams of sqrt(3/4) x 1460 B x 8 / (20 ms x sqrt(0.01)): some 81 Mbit/s.
  const bps = (16 * Math.sqrt(0.75) * 1460 * 8) / (0.02 * 0.1);
  for (const rateBps of [10e6, 800e6]) {
    const line = { id: 1, name: 'line', siteA: 1, siteB: 2, rateBps };
    const world = new World({ ...estate, links: [line] }, T0);
    expect(world.transfers.linkFactor(line)).toBe(1);
    world.setFault({ kind: 'link-lossy', subject: 'line' });
    expect(world.transfers.linkFactor(line)).toBeCloseTo(Math.min(1, bps / rateBps), 9);
  }
});

test('a drifting clock tells a wrong instant; the content is still that of the true one', () => {
  const world = new World(estate, T0);
  world.setFault({ kind: 'clock-drift', subject: 'Ostgate' });
  expect(world.takeSnapshot('s', 1, 'crash').takenMs).toBe(T0 + 20 * MINUTE);
  world.startTransfer(order('a', 's', 'replica', STORE));
  world.transfers.advance(T0 + HOUR);
  expect(world.requireCopy(STORE, 'a').takenMs).toBe(T0);
});

test.each<[Parameters<World['setFault']>[0], Consistency, string]>([
  [{ kind: 'site-credentials', subject: 'Ostgate' }, 'crash', 'site-credentials Ostgate'],
  [{ kind: 'name-lookup', subject: 'Ostgate' }, 'crash', 'name-lookup Ostgate'],
  [{ kind: 'guest-agent-missing', subject: 'vm-1' }, 'application', 'guest-agent-missing vm-1'],
  [{ kind: 'freeze-timeout', subject: 'vm-1' }, 'application', 'freeze-timeout vm-1'],
  [{ kind: 'guest-credentials', subject: 'vm-1' }, 'filesystem', 'guest-credentials vm-1'],
])('%j refuses a snapshot by its cause, and heals', (fault, consistency, said) => {
  const world = new World(estate, T0);
  world.setFault(fault);
  expect(refusal(() => world.takeSnapshot('s', 1, consistency))).toBe(said);
  world.clearFault(fault.kind, fault.subject);
  expect(refusal(() => world.takeSnapshot('s', 1, consistency))).toBe('done');
});

test('a guest that does not hold still can have its file systems flushed all the same', () => {
  const world = new World(estate, T0);
  world.setFault({ kind: 'freeze-timeout', subject: 'vm-1' });
  expect(refusal(() => world.takeSnapshot('s', 1, 'filesystem'))).toBe('done');
});

test('a snapshot that is stuck stays until it can go', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s', 1, 'crash');
  world.setFault({ kind: 'stuck-snapshot', subject: 'vm-1' });
  expect(refusal(() => world.releaseSnapshot('s'))).toBe('stuck-snapshot vm-1');
  expect(world.snapshots.byKey.has('s')).toBe(true);
  world.clearFault('stuck-snapshot', 'vm-1');
  world.releaseSnapshot('s');
  expect(world.snapshots.byKey.size).toBe(0);
});
