/**
 * npm test: types, lint, unit, integration against a real MariaDB, browser against the running demo. Own database
 * directory and ports, so it may run while the demo runs. The last line is "N passed, N failed". Names after "--" choose
 * parts, of jest's with a pattern of file names: npm test -- types integration:leases.
 */
import { spawn, spawnSync } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { seedDemo } from '@/demo/seed';
import { buildOnce, guard, Stack } from './stack';
import { stormSeeds } from './storms';

const PARTS = ['types', 'lint', 'format', 'unit', 'integration', 'storms', 'browser'] as const;
type Part = (typeof PARTS)[number];
/** Patterns of file names by part; empty: all of them. */
const asked = new Map(
  process.argv.slice(2).map((word) => {
    const [part = '', pattern = ''] = word.split(':', 2);
    return [part, pattern] as const;
  }),
);
const unknown = [...asked.keys()].filter((name) => !PARTS.some((part) => part === name));
if (unknown.length) {
  console.error(`No such part: ${unknown.join(', ')}. There are ${PARTS.join(', ')}.`);
  process.exit(2);
}
const wanted = (part: Part): boolean => !asked.size || asked.has(part);

const counts = { passed: 0, failed: 0 };
let sinceMs = performance.now();
/** Seconds since it was asked last. */
function took(): string {
  const nowMs = performance.now();
  const seconds = Math.round((nowMs - sinceMs) / 1000);
  sinceMs = nowMs;
  return `${seconds} s`;
}

/** A check that is one of a kind: passes or fails as a whole. */
async function check(part: Part, name: string, args: readonly string[]): Promise<void> {
  if (!wanted(part)) return;
  const child = spawn(process.execPath, args, { env: { ...process.env, FORCE_COLOR: '0' } });
  let said = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (chunk: Buffer) => (said += chunk.toString()));
  const good = (await new Promise((resolve) => child.once('close', resolve))) === 0;
  counts[good ? 'passed' : 'failed']++;
  console.log(`${good ? 'passed' : 'FAILED'}  ${name}`);
  if (!good) console.log(said.slice(-6000));
}

/** Two at a time, as most machines have two processors at least. */
async function checks(): Promise<void> {
  const prettier = ['node_modules/prettier/bin/prettier.cjs', '--check', '.', '--log-level', 'warn'];
  await Promise.all([
    check('types', 'types', ['node_modules/typescript/bin/tsc', '--noEmit']).then(() =>
      check('format', 'format', prettier),
    ),
    check('lint', 'lint and import rules', ['node_modules/eslint/bin/eslint.js', '.', '--max-warnings', '0']),
  ]);
  console.log(`        these took ${took()}`);
}

interface JestReport {
  readonly numPassedTests: number;
  readonly numFailedTests: number;
  readonly numRuntimeErrorTestSuites: number;
}

function jest(project: 'unit' | 'integration', env: NodeJS.ProcessEnv): void {
  if (!wanted(project)) return;
  const report = `.data/jest-${project}.json`;
  rmSync(report, { force: true });
  const done = spawnSync(
    process.execPath,
    [
      'node_modules/jest/bin/jest.js',
      '--selectProjects',
      project,
      '--json',
      `--outputFile=${report}`,
      // Integration tests mostly wait for processes of their own.
      `--maxWorkers=${project === 'unit' ? 2 : 3}`,
      ...(asked.get(project) ? [`--testPathPatterns=${asked.get(project)}`] : []),
    ],
    { encoding: 'utf8', env: { ...env, NODE_ENV: 'test' } },
  );
  const { numPassedTests, numFailedTests, numRuntimeErrorTestSuites } = JSON.parse(
    readFileSync(report, 'utf8'),
  ) as JestReport;
  tally(project, numPassedTests, numFailedTests + numRuntimeErrorTestSuites, done.stderr);
}

function browser(env: NodeJS.ProcessEnv): void {
  rmSync('.data/e2e.json', { force: true });
  const done = spawnSync(process.execPath, ['node_modules/@playwright/test/cli.js', 'test'], { encoding: 'utf8', env });
  const { stats } = JSON.parse(readFileSync('.data/e2e.json', 'utf8')) as {
    stats: { expected: number; unexpected: number; skipped: number; flaky: number };
  };
  const failed = stats.unexpected + stats.skipped + stats.flaky;
  // A run that could not even begin counts as one failure.
  tally(
    'browser',
    stats.expected,
    failed || (done.status === 0 && stats.expected > 0 ? 0 : 1),
    done.stdout + done.stderr,
  );
}

function tally(name: string, passed: number, failed: number, output: string): void {
  counts.passed += passed;
  counts.failed += failed;
  console.log(`${failed ? 'FAILED' : 'passed'}  ${name}: ${passed} passed, ${failed} failed, ${took()}`);
  if (failed) console.log(output.slice(-8000));
}

await guard(async (onStop) => {
  await checks();
  const stack = await Stack.begin({
    directory: 'test',
    ports: { database: 3716, standIn: 3717, web: 3700, mail: 3721 },
    clock: 'demo',
    fresh: true,
    flush: 'each-second',
  });
  onStop(() => stack.stop());
  jest('unit', process.env);
  jest('integration', { ...stack.env, ANCHOR_TEST_STANDIN_PORT: '3718', ANCHOR_LEASE_MS: '3000' });
  if (wanted('storms')) {
    const storms = await stormSeeds(stack.env, { seeds: 20, from: 1, legs: 2, ports: [3718, 3719, 3720] });
    tally('storms', storms.passed, storms.failed, '');
  }
  if (wanted('browser')) {
    const demo = { database: stack.databaseOptions(), standIn: stack.standInOptions(), rate: 0, say: console.log };
    await Promise.all([buildOnce(), seedDemo(demo)]);
    await stack.startStandIn();
    stack.startEngine();
    await stack.startWeb();
    browser({ ...stack.env, ANCHOR_E2E_ADDRESS: stack.address });
  }
  await stack.stop();
  console.log(`${counts.passed} passed, ${counts.failed} failed`);
  process.exit(counts.failed ? 1 : 0);
});
