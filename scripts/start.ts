/** npm start: the product without demo data, on the system clock. */
import { hash } from '@node-rs/argon2';
import { randomBytes } from 'node:crypto';
import { execute, openDatabase, selectOne } from '@/store/database';
import { migrate } from '@/store/migrate';
import { guard, LIVE, Stack } from './stack';

await guard(async (onStop) => {
  const stack = await Stack.begin(LIVE);
  onStop(() => stack.stop());
  const db = openDatabase(stack.databaseOptions(2));
  await migrate(db);
  const somebody = await selectOne(db, 'SELECT id FROM users LIMIT 1');
  let first = '';
  if (!somebody) {
    // No default password: the first administrator gets a random one, shown once.
    first = randomBytes(12).toString('base64url');
    await execute(
      db,
      `INSERT INTO users (name, full_name, role, password_hash) VALUES ('admin', 'First administrator', 'administrator', ?)`,
      [await hash(first)],
    );
  }
  await db.close();
  stack.startEngine();
  await stack.startWeb();
  stack.keepUp();
  console.log(`\n  Anchor Bay is at ${stack.address}\n`);
  if (first) console.log(`  Sign in as admin with ${first}; it is shown only now.\n`);
  console.log('  Ctrl-C stops everything; the data stays.\n');
  await new Promise(() => setInterval(() => undefined, 1 << 30));
});
