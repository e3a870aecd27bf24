/** Rotation of the key of secrets, against a real MariaDB. */
import { randomBytes } from 'node:crypto';
import { execute, select, type Database } from '@/store/database';
import { reseal } from '@/store/reseal';
import { seal, unseal } from '@/store/sealed';
import { freshDatabase } from './harbour';

jest.setTimeout(60_000);
let db: Database;
const [old, next] = [randomBytes(32), randomBytes(32)];

beforeEach(async () => {
  db = await freshDatabase('anchor_bay_reseal_test');
  for (const secret of ['first', 'second'])
    await execute(
      db,
      `INSERT INTO notice_routes (kind, target, level, secret, created_ms) VALUES ('webhook', ?, 'over', ?, 1)`,
      [`http://192.0.2.1/${secret}`, seal(secret, old)],
    );
  await execute(
    db,
    `INSERT INTO notice_routes (kind, target, level, created_ms) VALUES ('mail', 'a@example.org', 'all', 1)`,
  );
});
afterEach(() => db.close());

const opened = async (key: Buffer) =>
  (await select<{ secret: Buffer }>(db, 'SELECT secret FROM notice_routes WHERE secret IS NOT NULL ORDER BY id')).map(
    ({ secret }) => unseal(secret, key),
  );

test('every secret opens with the new key, and with the old one no more', async () => {
  expect(await reseal(db, [old], next)).toBe(2);
  expect(await opened(next)).toEqual(['first', 'second']);
  await expect(opened(old)).rejects.toThrow(/ANCHOR_KEY/);
});

test('cut off after its commit it can be run again with both keys', async () => {
  await reseal(db, [old], next);
  expect(await reseal(db, [old, next], next)).toBe(2);
  expect(await opened(next)).toEqual(['first', 'second']);
});

test('one that no key opens is named, and nothing is changed', async () => {
  await execute(db, 'UPDATE notice_routes SET secret = ? WHERE target LIKE ?', [seal('x', randomBytes(32)), '%second']);
  await expect(reseal(db, [old], next)).rejects.toThrow(/192\.0\.2\.1\/second/);
  const [first] = await select<{ secret: Buffer }>(db, `SELECT secret FROM notice_routes WHERE target LIKE '%first'`);
  expect(unseal(first?.secret as Buffer, old)).toBe('first');
});
