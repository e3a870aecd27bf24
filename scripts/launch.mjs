/**
 * First thing that runs on a bare machine: nothing but Node.js may be assumed. Installs what is missing, then hands over
 * to the TypeScript command of the same name.
 */
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';

const root = path.resolve(import.meta.dirname, '..');
process.chdir(root);
const [command, ...rest] = process.argv.slice(2);

function stop(what, remedy) {
  console.error(`\n  ${what}\n  What to do: ${remedy}\n`);
  process.exit(1);
}

const [major, minor] = process.versions.node.split('.').map(Number);
if (major < 20 || (major === 20 && minor < 12))
  stop(`Node.js ${process.versions.node} is too old.`, 'Install Node.js 20.12 or newer.');

const has = (program) => spawnSync('sh', ['-c', `command -v ${program}`]).status === 0;

/** Debian packages: program that shows it is there, package that brings it. */
function ensurePackages(wanted) {
  const missing = wanted.filter(([program]) => !has(program)).map(([, name]) => name);
  if (!missing.length) return;
  const byHand = `apt-get install ${missing.join(' ')}`;
  if (process.getuid?.() !== 0 || !has('apt-get'))
    stop(`${missing.join(' and ')} is not installed, and this user cannot install it.`, `As root: ${byHand}`);
  console.log(`Installing ${missing.join(', ')} …`);
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  spawnSync('apt-get', ['update', '-qq'], { stdio: 'ignore', env });
  // The packaged service is not ours: it must not start by itself.
  const policy = '/usr/sbin/policy-rc.d';
  const ours = !existsSync(policy);
  if (ours) writeFileSync(policy, '#!/bin/sh\nexit 101\n', { mode: 0o755 });
  const done = spawnSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...missing], {
    stdio: ['ignore', 'ignore', 'inherit'],
    env,
  });
  if (ours) spawnSync('rm', ['-f', policy]);
  if (done.status !== 0) stop(`Installing ${missing.join(', ')} failed.`, `Try by hand: ${byHand}`);
}

function ensureModules() {
  const lock = createHash('sha256').update(readFileSync('package-lock.json')).digest('hex');
  const stamp = path.join('node_modules', '.anchor-bay-lock');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  console.log('Installing packages …');
  const done = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], { stdio: 'inherit' });
  if (done.status !== 0) stop('npm ci failed.', 'Check that the package registry can be reached, then start again.');
  mkdirSync('node_modules', { recursive: true });
  writeFileSync(stamp, lock);
}

const needsBrowser = command === 'test' || command === 'screenshots' || command === 'bench';
ensurePackages([['mariadbd', 'mariadb-server'], ...(needsBrowser ? [['chromium', 'chromium']] : [])]);
ensureModules();
// Seeding makes millions of short-lived objects: with room for the young ones an eighth of its time is saved.
const flags = ['--max-semi-space-size=128', '--import', 'tsx'];
const child = spawnSync(process.execPath, [...flags, path.join('scripts', `${command}.ts`), ...rest], {
  stdio: 'inherit',
});
process.exit(child.status ?? 1);
