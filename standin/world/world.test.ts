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

/** A copy of workload 1 at a place, complete. */
function copied(world: World, place: typeof REPO | typeof STORE = STORE, key = 'c1'): void {
  world.takeSnapshot(`s-${key}`, 1, false);
  world.startTransfer(key, `s-${key}`, 'replica', place, []);
  world.transfers.advance(world.nowMs + HOUR);
}

test('a snapshot holds the instant it was first taken, whoever asks again', () => {
  const world = new World(estate, T0);
  const first = world.takeSnapshot('s1', 1, false);
  world.transfers.advance(T0 + MINUTE);
  expect(world.takeSnapshot('s1', 1, false)).toEqual(first);
});

test('a transfer completes after its bytes and its setup, and the copy reads back as the source was', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, false);
  const { digest, sendBytes } = world.readChanges('s1', STORE, []);
  world.startTransfer('c1', 's1', 'replica', STORE, []);
  expect(world.transfers.progress('c1').completedMs).toBeNull();
  world.transfers.advance(T0 + HOUR);
  const { completedMs, totalBytes } = world.transfers.progress('c1');
  expect(totalBytes).toBe(sendBytes);
  expect((completedMs as number) - T0).toBeGreaterThanOrEqual((sendBytes * 8) / 80e6);
  expect(world.verifyCopy(STORE, 'c1').digest).toBe(digest);
});

test.each<[string, Parameters<World['setFault']>[0], string]>([
  ['a silent site', { kind: 'site-down', subject: 'Ostgate' }, 'site-no-answer Ostgate'],
  ['wrong credentials', { kind: 'guest-credentials', subject: 'vm-1' }, 'guest-credentials vm-1'],
])('%s refuses a frozen snapshot by its cause, and heals', (_name, fault, said) => {
  const world = new World(estate, T0);
  world.setFault(fault);
  expect(refusal(() => world.takeSnapshot('s', 1, true))).toBe(said);
  world.clearFault(fault.kind, fault.subject);
  expect(refusal(() => world.takeSnapshot('s', 1, true))).toBe('done');
});

test('a machine without guest agent cannot be frozen, but can be copied', () => {
  const world = new World(estate, T0);
  expect(refusal(() => world.takeSnapshot('s', 2, true))).toBe('guest-agent-missing vm-2');
  expect(refusal(() => world.takeSnapshot('s', 2, false))).toBe('done');
});

test('a cut link fails what is under way and refuses what comes, a full repository too', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, false);
  world.startTransfer('c1', 's1', 'backup', REPO, []);
  world.setFault({ kind: 'link-cut', subject: 'line' });
  expect(world.transfers.progress('c1').failure?.code).toBe('link-down');
  expect(refusal(() => world.startTransfer('c2', 's1', 'backup', REPO, []))).toBe('link-down line');
  world.clearFault('link-cut', 'line');
  world.setFault({ kind: 'repository-full', subject: 'mil-r1' });
  expect(refusal(() => world.startTransfer('c2', 's1', 'backup', REPO, []))).toBe('repository-full mil-r1');
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

test('what is in flight survives a restart: it completes where it stood', () => {
  const world = new World(estate, T0);
  world.takeSnapshot('s1', 1, false);
  world.startTransfer('c1', 's1', 'replica', STORE, []);
  world.transfers.advance(T0 + 10_000);
  const again = new World(estate, world.nowMs);
  again.restore(JSON.parse(JSON.stringify(world.inFlight())) as ReturnType<World['inFlight']>);
  world.transfers.advance(T0 + HOUR);
  again.transfers.advance(T0 + HOUR);
  expect(again.transfers.progress('c1').completedMs).toBe(world.transfers.progress('c1').completedMs);
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
