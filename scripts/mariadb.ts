/** MariaDB of our own: data directory under .data/, loopback, own port and socket, random password with mode 0600. */
import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { chmodSync, chownSync, existsSync, mkdirSync, readFileSync, rmSync, statfsSync, writeFileSync } from 'node:fs';
import { createConnection as tcp } from 'node:net';
import { totalmem } from 'node:os';
import path from 'node:path';
import { createConnection, type Connection, type RowDataPacket } from 'mysql2/promise';
import { Kept } from './kept';
import { Trouble } from './trouble';

export interface Server {
  readonly port: number;
  readonly password: string;
  readonly kept: Kept;
  stop(): Promise<void>;
}

/** What it may take to write everything down when it stops, in ms. */
const STOPPING_MS = 180_000;
const NEEDED_BYTES = 2 * 2 ** 30;

/** True if something answers on the loopback port. */
export function portTaken(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = tcp({ host: '127.0.0.1', port });
    socket.once('connect', () => (socket.destroy(), resolve(true)));
    socket.once('error', () => resolve(false));
  });
}

/**
 * When a commit reaches the disk. Each second is enough where only processes are killed, as tests do: what was handed to
 * the operating system survives that.
 */
export type Flush = 'each-commit' | 'each-second';

/** Starts MariaDB on `directory`, making it first if need be. Throws Trouble with a remedy. */
export async function startMariaDb(
  directory: string,
  port: number,
  options: { fresh?: boolean; flush?: Flush } = {},
): Promise<Server> {
  const root = path.resolve(directory);
  if (options.fresh) rmSync(root, { recursive: true, force: true });
  mkdirSync(root, { recursive: true });
  const disk = statfsSync(root);
  if (disk.bavail * disk.bsize < NEEDED_BYTES)
    throw new Trouble(
      `Only ${Math.floor((disk.bavail * disk.bsize) / 2 ** 20)} MiB are free under ${root}.`,
      'Free at least 2 GiB, then start again.',
    );
  if (await portTaken(port))
    throw new Trouble(
      `Port ${port} on 127.0.0.1 is in use, the database needs it.`,
      'Stop what uses it, or set ANCHOR_DB_PORT to a free port.',
    );
  const data = path.join(root, 'mysql');
  const secretFile = path.join(root, 'secret');
  if (!existsSync(path.join(data, 'mysql'))) initialise(root, data, secretFile);
  if (!existsSync(secretFile)) throw brokenDirectory(root, 'its secret file is missing');
  const password = readFileSync(secretFile, 'utf8').trim();
  const args = serverArguments(root, data, port, options.flush ?? 'each-commit');
  const kept = new Kept({
    name: 'MariaDB',
    start: () => spawn('mariadbd', args, { stdio: 'ignore', detached: true }),
    say: (text) => console.error(`  ${text} Its log is ${path.join(root, 'error.log')}.`),
    patienceMs: STOPPING_MS,
  });
  try {
    await untilReady(kept.child, port, password, root);
  } catch (error) {
    await kept.stop();
    throw error;
  }
  return { port, password, kept, stop: () => kept.stop() };
}

function asRoot(): boolean {
  return process.getuid?.() === 0;
}

/** An eighth of the memory, as other programs live here too; 2 million points with their keys want about 1.5 GiB. */
function bufferPoolBytes(): number {
  return Math.floor(Math.min(4 * 2 ** 30, Math.max(256 * 2 ** 20, totalmem() / 8)));
}

function serverArguments(root: string, data: string, port: number, flush: Flush): string[] {
  return [
    '--no-defaults',
    `--datadir=${data}`,
    `--port=${port}`,
    '--bind-address=127.0.0.1',
    `--socket=${path.join(root, 'socket')}`,
    `--pid-file=${path.join(root, 'pid')}`,
    `--log-error=${path.join(root, 'error.log')}`,
    '--skip-name-resolve',
    '--skip-log-bin',
    '--character-set-server=utf8mb4',
    '--collation-server=utf8mb4_bin',
    `--innodb-buffer-pool-size=${bufferPoolBytes()}`,
    '--innodb-log-file-size=256M',
    `--innodb-flush-log-at-trx-commit=${flush === 'each-commit' ? 1 : 2}`,
    '--max-allowed-packet=64M',
    '--max-connections=120',
    '--local-infile=0',
    ...(asRoot() ? ['--user=mysql'] : []),
  ];
}

/** Makes an empty data directory that the server's own user may write. */
export function initialise(root: string, data: string, secretFile: string): void {
  mkdirSync(data, { recursive: true });
  if (asRoot()) {
    const id = (flag: string) => Number(execFileSync('id', [flag, 'mysql'], { encoding: 'utf8' }));
    chownSync(root, id('-u'), id('-g'));
    chownSync(data, id('-u'), id('-g'));
  }
  try {
    execFileSync(
      'mariadb-install-db',
      [
        '--no-defaults',
        `--datadir=${data}`,
        '--auth-root-authentication-method=normal',
        '--skip-test-db',
        ...(asRoot() ? ['--user=mysql'] : []),
      ],
      { stdio: 'pipe' },
    );
  } catch (error) {
    throw new Trouble(
      `The database directory ${data} could not be made: ${String((error as Error).message).split('\n')[0]}`,
      `Delete ${root} and start again.`,
    );
  }
  writeFileSync(secretFile, randomBytes(24).toString('base64url'), { mode: 0o600 });
  chmodSync(secretFile, 0o600);
}

function brokenDirectory(root: string, why: string): Trouble {
  return new Trouble(
    `The data directory ${root} cannot be used: ${why}.`,
    `Look into ${path.join(root, 'error.log')}. To begin anew and lose what it holds, delete ${root} (demo: npm run demo -- --fresh).`,
  );
}

async function untilReady(child: ChildProcess, port: number, password: string, root: string): Promise<void> {
  let exited = false;
  child.once('exit', () => (exited = true));
  for (let i = 0; i < 300; i++) {
    if (exited) throw brokenDirectory(root, 'MariaDB stopped while starting');
    if (await secured(port, password)) return;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw brokenDirectory(root, 'MariaDB did not answer within 30 s');
}

/** True once root accepts our password; on the first start root has none yet and gets it here. */
async function secured(port: number, password: string): Promise<boolean> {
  for (const attempt of [password, '']) {
    try {
      const connection = await createConnection({ host: '127.0.0.1', port, user: 'root', password: attempt });
      if (attempt === '') await setPassword(connection, password);
      await connection.end();
      if (attempt === password) return true;
    } catch {
      // Not up yet, or the other password holds.
    }
  }
  return false;
}

/** Every account of the new server gets our password, nameless ones go. */
async function setPassword(connection: Connection, password: string): Promise<void> {
  const [accounts] = await connection.query<RowDataPacket[]>(
    "SELECT user, host FROM mysql.global_priv WHERE user IN ('root', '')",
  );
  for (const { user, host } of accounts)
    await connection.query(user === '' ? 'DROP USER ?@?' : 'ALTER USER ?@? IDENTIFIED BY ?', [user, host, password]);
}

/** Makes a database unless it is there; `fresh`: what was in it is dropped. */
export async function ensureDatabase(server: Server, name: string, fresh = false): Promise<void> {
  const connection = await createConnection({
    host: '127.0.0.1',
    port: server.port,
    user: 'root',
    password: server.password,
  });
  if (fresh) await connection.query(`DROP DATABASE IF EXISTS \`${name}\``);
  await connection.query(`CREATE DATABASE IF NOT EXISTS \`${name}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
  await connection.end();
}

/** What an account may do with a database: its rows, or all of it. */
export type Rights = 'rows' | 'all';

/**
 * Makes an account of one database, or sets its password and rights anew. One for rows alone cannot drop the triggers
 * that keep immutable points, nor empty a table around them.
 */
export async function ensureAccount(
  server: Server,
  account: { readonly name: string; readonly password: string; readonly database: string; readonly rights: Rights },
): Promise<void> {
  const { name, password, database, rights } = account;
  const connection = await createConnection({
    host: '127.0.0.1',
    port: server.port,
    user: 'root',
    password: server.password,
  });
  try {
    await connection.query('CREATE OR REPLACE USER ?@? IDENTIFIED BY ?', [name, '127.0.0.1', password]);
    const may = rights === 'all' ? 'ALL' : 'SELECT, INSERT, UPDATE, DELETE';
    await connection.query(`GRANT ${may} ON \`${database}\`.* TO ?@?`, [name, '127.0.0.1']);
  } finally {
    await connection.end();
  }
}
