/** npm start: the product without demo data, on the system clock. */
import { hash } from '@node-rs/argon2';
import { randomBytes } from 'node:crypto';
import { execute, openDatabase, selectOne } from '@/store/database';
import { migrate } from '@/store/migrate';
import { guard, Stack } from './stack';

await guard(async (onStop) => {
  const port = (key: string, standard: number) => Number(process.env[key] ?? standard);
  const stack = await Stack.begin({
    directory: 'live',
    ports: {
      database: port('ANCHOR_DB_PORT', 3626),
      standIn: port('ANCHOR_STANDIN_PORT', 3627),
      web: port('ANCHOR_WEB_PORT', 3610),
    },
    clock: 'system',
    fresh: false,
  });
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
  await stack.startWeb();
  console.log(`\n  Anchor Bay is at ${stack.address}\n`);
  if (first) console.log(`  Sign in as admin with ${first}; it is shown only now.\n`);
  console.log('  No site is registered yet, so no engine runs. Ctrl-C stops everything.\n');
  await new Promise(() => setInterval(() => undefined, 1 << 30));
});
