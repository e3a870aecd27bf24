import { startMariaDb } from './mariadb';
import { createConnection } from 'mysql2/promise';
const [dir, ...qs] = process.argv.slice(2);
const server = await startMariaDb('.data/' + dir, 3999, { fresh: false });
const c = await createConnection({
  host: '127.0.0.1',
  port: server.port,
  user: 'root',
  password: server.password,
  database: 'anchor_bay',
});
for (const q of qs) console.table((await c.query(q))[0]);
await c.end();
await server.stop();
process.exit(0);
