/** The running whole: database, stand-in, engine and web, each a process, started in order and stopped in reverse. */
import { spawn, type ChildProcess } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { createWriteStream, existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { Kept } from './kept';
import { buildPrograms, programFile } from './programs';
import { ensureAccount, ensureDatabase, portTaken, startMariaDb, type Flush, type Server } from './mariadb';
import { Trouble } from './trouble';

export interface StackOptions {
  /** Below .data/. */
  readonly directory: string;
  /** `mail`: where the stand-in takes letters in. */
  readonly ports: { readonly database: number; readonly standIn: number; readonly web: number; readonly mail?: number };
  readonly clock: 'demo' | 'system';
  readonly fresh: boolean;
  readonly flush?: Flush;
}

/** The product as npm start runs it. */
export const LIVE: StackOptions = {
  directory: 'live',
  ports: {
    database: Number(process.env.ANCHOR_DB_PORT ?? 3626),
    standIn: Number(process.env.ANCHOR_STANDIN_PORT ?? 3627),
    web: Number(process.env.ANCHOR_WEB_PORT ?? 3610),
  },
  clock: 'system',
  fresh: false,
};

const DATABASES = ['anchor_bay', 'anchor_bay_standin'] as const;

export class Stack {
  private readonly children: Kept[] = [];
  private stopping = false;
  private constructor(
    readonly options: StackOptions,
    readonly server: Server,
    readonly env: NodeJS.ProcessEnv,
  ) {}

  static async begin(options: StackOptions): Promise<Stack> {
    const { standIn, web, mail } = options.ports;
    for (const port of [standIn, web, ...(mail ? [mail] : [])])
      if (await portTaken(port))
        throw new Trouble(
          `Port ${port} on 127.0.0.1 is in use.`,
          'Stop what uses it, or choose others with ANCHOR_WEB_PORT and ANCHOR_STANDIN_PORT.',
        );
    await buildPrograms();
    const root = path.join('.data', options.directory);
    const server = await startMariaDb(root, options.ports.database, {
      fresh: options.fresh,
      flush: options.flush ?? 'each-commit',
    });
    for (const name of DATABASES) await ensureDatabase(server, name);
    for (const account of Object.values(accountsOf(root))) await ensureAccount(server, account);
    const env: NodeJS.ProcessEnv = {
      ...process.env,
      ANCHOR_DB_PORT: String(server.port),
      ANCHOR_DB_USER: 'root',
      ANCHOR_DB_PASSWORD: server.password,
      ANCHOR_DB_NAME: 'anchor_bay',
      ANCHOR_STANDIN_DB_NAME: 'anchor_bay_standin',
      ANCHOR_STANDIN_PORT: String(options.ports.standIn),
      ANCHOR_STANDIN_TOKEN: kept(root, 'standin-token', () => randomBytes(24).toString('base64url')),
      ANCHOR_KEY: kept(root, 'key', () => randomBytes(32).toString('hex')),
      ...(mail ? { ANCHOR_STANDIN_MAIL_PORT: String(mail), ANCHOR_SMTP_URL: `smtp://127.0.0.1:${mail}` } : {}),
      ANCHOR_CLOCK: options.clock,
      NODE_ENV: 'production',
      NEXT_TELEMETRY_DISABLED: '1',
    };
    return new Stack(options, server, env);
  }

  /** Where the key lies that seals secrets in the database. */
  get keyFile(): string {
    return path.join('.data', this.options.directory, 'key');
  }

  /** Empties both databases: for a seeding that was cut off half-way. */
  async emptyDatabases(): Promise<void> {
    for (const name of DATABASES) await ensureDatabase(this.server, name, true);
  }

  databaseOptions(poolSize = 8) {
    return {
      host: '127.0.0.1',
      port: this.server.port,
      user: 'root',
      password: this.server.password,
      name: 'anchor_bay',
      poolSize,
    };
  }
  standInOptions() {
    return {
      host: '127.0.0.1',
      port: this.server.port,
      user: 'root',
      password: this.server.password,
      database: 'anchor_bay_standin',
    };
  }

  async startStandIn(): Promise<void> {
    this.spawn('standin', [process.execPath, '--enable-source-maps', programFile('standin')]);
    await this.untilAnswers(this.options.ports.standIn, '/healthz', 'standin');
  }
  startEngine(): ChildProcess {
    return this.spawn('engine', [process.execPath, '--enable-source-maps', programFile('engine')]).child;
  }
  async startWeb(): Promise<void> {
    await buildOnce();
    const { web } = this.options.ports;
    this.spawn('web', [
      process.execPath,
      'node_modules/next/dist/bin/next',
      'start',
      '-H',
      '127.0.0.1',
      '-p',
      String(web),
    ]);
    await this.untilAnswers(web, '/healthz', 'web');
  }
  get address(): string {
    return `http://127.0.0.1:${this.options.ports.web}`;
  }

  async stop(): Promise<void> {
    if (this.stopping) return;
    this.stopping = true;
    for (const kept of [...this.children].reverse()) await kept.stop();
    await this.server.stop();
  }

  /** From now on a process that ends by itself is started again, the database server first. */
  keepUp(): void {
    this.server.kept.keepUp();
    for (const kept of this.children) kept.keepUp();
  }

  private spawn(name: string, [program, ...rest]: string[]): Kept {
    const file = path.join('.data', this.options.directory, `${name}.log`);
    const log = createWriteStream(file, { flags: 'a' });
    // A group of its own: Ctrl-C reaches only us, and we stop them in order.
    const env = { ...this.env, ...this.accountFor(name) };
    const start = (): ChildProcess => {
      const child = spawn(program as string, rest, { env, stdio: ['ignore', 'pipe', 'pipe'], detached: true });
      child.stdout?.pipe(log, { end: false });
      child.stderr?.pipe(log, { end: false });
      return child;
    };
    const kept = new Kept({ name, start, say: (text) => console.error(`  ${text} Its log is ${file}.`) });
    this.children.push(kept);
    return kept;
  }

  /** Processes know the account of their own database, and no other; only migrations and seeding are done by root. */
  private accountFor(process: string): Readonly<Record<string, string>> {
    const { application, standIn } = accountsOf(path.join('.data', this.options.directory));
    const { name, password } = process === 'standin' ? standIn : application;
    return { ANCHOR_DB_USER: name, ANCHOR_DB_PASSWORD: password };
  }

  private async untilAnswers(port: number, url: string, name: string): Promise<void> {
    for (let i = 0; i < 240; i++) {
      const kept = this.children.findLast((c) => c.name === name);
      if (kept?.ended)
        throw new Trouble(
          `${name} stopped while starting (exit ${kept.child.exitCode}).`,
          `Look into .data/${this.options.directory}/${name}.log.`,
        );
      const answer = await fetch(`http://127.0.0.1:${port}${url}`).catch(() => null);
      if (answer?.ok) return;
      await new Promise((resolve) => setTimeout(resolve, 250));
    }
    throw new Trouble(
      `${name} does not answer on port ${port}.`,
      `Look into .data/${this.options.directory}/${name}.log.`,
    );
  }
}

/** The accounts of a data directory, with passwords kept beside it. */
function accountsOf(root: string) {
  const secret = (name: string): string => kept(root, `${name}-password`, () => randomBytes(24).toString('base64url'));
  return {
    application: { name: 'anchor_bay', password: secret('application'), database: 'anchor_bay', rights: 'rows' },
    standIn: { name: 'anchor_standin', password: secret('stand-in'), database: 'anchor_bay_standin', rights: 'all' },
  } as const;
}

/** A secret beside the data, made when it is first asked for. */
function kept(root: string, name: string, make: () => string): string {
  const file = path.join(root, name);
  if (!existsSync(file)) writeFileSync(file, make(), { mode: 0o600 });
  return readFileSync(file, 'utf8').trim();
}

const SOURCES = [
  'app',
  'ui',
  'core',
  'store',
  'commands',
  'queries',
  'workers',
  'package-lock.json',
  'next.config.ts',
  'proxy.ts',
  'tsconfig.json',
  'postcss.config.mjs',
];

/** Builds the web application unless nothing that goes into it has changed. */
export async function buildOnce(): Promise<void> {
  const hash = createHash('sha256');
  const walk = (file: string): void => {
    if (!existsSync(file)) return;
    if (statSync(file).isDirectory()) for (const name of readdirSync(file).sort()) walk(path.join(file, name));
    else if (!file.includes('.test.')) hash.update(file).update(readFileSync(file));
  };
  SOURCES.forEach(walk);
  const digest = hash.digest('hex');
  const stamp = path.join('.next', 'anchor-bay-sources');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === digest) return;
  console.log('Building the web application …');
  const env = { ...process.env, NODE_ENV: 'production' as const, NEXT_TELEMETRY_DISABLED: '1' };
  const built = spawn(process.execPath, ['node_modules/next/dist/bin/next', 'build'], { env });
  let said = '';
  for (const stream of [built.stdout, built.stderr]) stream.on('data', (chunk: Buffer) => (said += chunk.toString()));
  if ((await new Promise((resolve) => built.once('close', resolve))) !== 0)
    throw new Trouble(`The build failed:\n${said.slice(-3000)}`, 'Mend what it says, then start again.');
  mkdirSync('.next', { recursive: true });
  writeFileSync(stamp, digest);
}

/** Runs a command until Ctrl-C; says what is wrong and what to do where it can. */
export async function guard(work: (onStop: (stop: () => Promise<void>) => void) => Promise<void>): Promise<void> {
  const stops: Array<() => Promise<void>> = [];
  const stopAll = async (code: number): Promise<never> => {
    for (const stop of stops.splice(0).reverse()) await stop().catch((error: unknown) => console.error(error));
    process.exit(code);
  };
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => void stopAll(0));
  try {
    await work((stop) => stops.push(stop));
  } catch (error) {
    if (error instanceof Trouble) console.error(`\n  ${error.message}\n  What to do: ${error.remedy}\n`);
    else console.error(error);
    await stopAll(1);
  }
}
