/** Thinning against a real MariaDB, with sites that answer as they are told. */
import { ControllerError, type SiteController } from '@/connectors/site-controller';
import { MINUTE } from '@/core/units';
import { Thinning } from '@/engine/thin';
import { execute } from '@/store/database';
import { lanesReader } from '@/store/schedules';
import { Harbour, START } from './harbour';
import { addPoint } from './rows';

jest.setTimeout(60_000);
let harbour: Harbour;
beforeEach(async () => {
  harbour = await Harbour.build('anchor_bay_thin_test');
});
afterEach(() => harbour.close());

/** Points of one workload on their way out; their numbers, and their copies in the same order. */
async function marked(count: number): Promise<{ ids: number[]; keys: string[] }> {
  const ids: number[] = [];
  for (let i = 0; i < count; i++) {
    const takenMs = START - (count - i) * MINUTE;
    ids.push(await addPoint(harbour.db, { workloadId: 1, takenMs, usableMs: takenMs }));
  }
  await execute(harbour.db, 'UPDATE points SET marked_ms = ?', [START]);
  const rows = await harbour.rows<{ copy_key: string }>('SELECT copy_key FROM points ORDER BY id');
  return { ids, keys: rows.map((row) => row.copy_key) };
}
const thinning = (deleteCopy: SiteController['deleteCopy']) =>
  new Thinning(harbour.db, { deleteCopy } as SiteController, lanesReader(harbour.db));
const left = async () =>
  (await harbour.rows<{ id: number }>('SELECT id FROM points WHERE gone_ms IS NULL ORDER BY id')).map((p) => p.id);

test('a copy that its place does not let go keeps its mark, and keeps no other from going', async () => {
  const { ids, keys } = await marked(3);
  const locked = new ControllerError({ code: 'immutable', subject: 'mil-s1', detail: 'Locked.' });
  const thin = thinning(({ copyKey }) =>
    copyKey === keys[0] ? Promise.reject(locked) : Promise.resolve({ freedBytes: 300 }),
  );
  await thin.carryOn(START + MINUTE);
  expect(await left()).toEqual([ids[0]]);
  const gone = await harbour.rows('SELECT freed_bytes, gone_ms FROM points WHERE gone_ms IS NOT NULL');
  expect(gone).toEqual([
    { freed_bytes: 300, gone_ms: START + MINUTE },
    { freed_bytes: 300, gone_ms: START + MINUTE },
  ]);
  await thinning(() => Promise.resolve({ freedBytes: 0 })).carryOn(START + 2 * MINUTE);
  expect(await left()).toEqual([]);
});

test('what goes wrong otherwise is an error, and what went before it is asked for again', async () => {
  const { ids } = await marked(2);
  const thin = thinning(() => Promise.reject(new TypeError('not a refusal')));
  await expect(thin.carryOn(START + MINUTE)).rejects.toThrow('not a refusal');
  expect(await left()).toEqual(ids);
});
