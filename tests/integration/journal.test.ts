/** The memory of the stand-in: what it has answered for is there after a restart, also where a write failed in between. */
import { MINUTE } from '@/core/units';
import { Journal } from '@/standin/journal';
import { Controller } from '@/standin/operations';
import { World } from '@/standin/world/world';
import { execute, type Database } from '@/store/database';
import { estateOf, freshDatabase, server, START } from './harbour';

const NAME = 'journal_standin';
const PLACE = { kind: 'datastore', id: 2 } as const;
let db: Database;
let journal: Journal;
let controller: Controller;

beforeEach(async () => {
  db = await freshDatabase(NAME);
  journal = await Journal.open({ ...server, database: NAME });
  controller = new Controller(new World(estateOf(2), START));
  await journal.begin(controller);
});
afterEach(async () => {
  await journal.close();
  await db.close();
});

/** What another process finds. */
async function left(): Promise<Controller> {
  const other = await Journal.open({ ...server, database: NAME });
  const found = await other.load();
  await other.close();
  if (!found) throw new Error('nothing was left');
  return found;
}

function send(key: string, workloadId: number): void {
  controller.world.takeSnapshot(`s${key}`, workloadId, 'crash');
  controller.world.startTransfer({
    key,
    snapshotKey: `s${key}`,
    kind: 'replica',
    place: PLACE,
    excludeRoles: [],
  });
}

test('what is on its way goes on where it stood; what is over is no more', async () => {
  send('a', 1);
  send('b', 2);
  controller.world.transfers.advance(START + 2000);
  await journal.flush(controller);
  expect((await left()).world.transfers.progress('b')).toEqual(controller.world.transfers.progress('b'));
  controller.world.transfers.advance(START + 30 * MINUTE);
  controller.operations.releaseSnapshot({ snapshotKey: 'sa' });
  controller.operations.forgetTransfer({ key: 'a' });
  await journal.flush(controller);
  const { world } = await left();
  expect(world.inFlight()).toEqual(controller.world.inFlight());
  expect([...world.snapshots.byKey.keys()]).toEqual(['sb']);
  expect(world.requireCopy(PLACE, 'a').takenMs).toBe(START);
});

test('a world of an older version is taken up: what was on its way then is no more, and runs try again', async () => {
  const old = {
    nowMs: START + MINUTE,
    faults: [],
    used: { 'datastore:2': 7 },
    transfers: [{ key: 'a' }],
    snapshots: [],
  };
  await execute(db, 'UPDATE moment SET body = ?', [JSON.stringify(old)]);
  const { world } = await left();
  expect([world.nowMs, world.inFlight().transfers, world.copies.usedBytes('datastore:2')]).toEqual([
    START + MINUTE,
    [],
    7,
  ]);
});

test('what could not be written is written with what comes next', async () => {
  await execute(db, 'RENAME TABLE copies TO elsewhere');
  send('a', 1);
  controller.world.transfers.advance(START + 30 * MINUTE);
  await expect(journal.flush(controller)).rejects.toThrow(/copies/);
  await execute(db, 'RENAME TABLE elsewhere TO copies');
  await journal.flush(controller);
  const { world } = await left();
  expect(world.requireCopy(PLACE, 'a').workloadId).toBe(1);
  expect(world.inFlight()).toEqual(controller.world.inFlight());
});

test('a copy that comes and goes before one write leaves nothing, and one that goes and comes again is there', async () => {
  send('a', 1);
  controller.world.transfers.advance(START + 30 * MINUTE);
  await journal.flush(controller);
  const copy = controller.world.requireCopy(PLACE, 'a');
  controller.world.deleteCopy(PLACE, 'a');
  controller.world.copies.add('datastore:2', copy);
  controller.world.copies.add('datastore:2', { ...copy, key: 'b' });
  controller.world.deleteCopy(PLACE, 'b');
  await journal.flush(controller);
  const { world } = await left();
  expect(world.copies.all('datastore:2').map(({ key }) => key)).toEqual(['a']);
});
