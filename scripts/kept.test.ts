/** Real processes: what ends by itself comes again, what is stopped does not. Source: none, our own rule. */
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { Kept } from './kept';

function keep(program: string) {
  const said: string[] = [];
  let starts = 0;
  const kept = new Kept({
    name: 'engine',
    start: () => (starts++, spawn(process.execPath, ['-e', program], { stdio: 'ignore' })),
    say: (text) => said.push(text),
    pauseMs: 20,
  });
  return { kept, said, starts: () => starts };
}
const LIVES = 'setInterval(() => {}, 1000)';
const until = async (holds: () => boolean): Promise<void> => {
  while (!holds()) await new Promise((resolve) => setTimeout(resolve, 10));
};

test('what is killed is started again, and said to be', async () => {
  const { kept, said, starts } = keep(LIVES);
  kept.keepUp();
  const first = kept.child;
  first.kill('SIGKILL');
  await until(() => starts() === 2);
  expect(kept.child.pid).not.toBe(first.pid);
  expect(said).toEqual(['engine ended by itself (SIGKILL); it is started again.']);
  await kept.stop();
});

test('before it is to be kept up its end is its end', async () => {
  const { kept, starts } = keep('process.exit(3)');
  await once(kept.child, 'exit');
  await new Promise((resolve) => setTimeout(resolve, 60));
  expect([starts(), kept.ended, kept.child.exitCode]).toEqual([1, true, 3]);
  kept.keepUp();
  await until(() => starts() === 2);
  await kept.stop();
});

test('what was stopped stays away, also while it was about to be started again', async () => {
  const { kept, said, starts } = keep('process.exit(1)');
  kept.keepUp();
  await until(() => said.length > 0);
  await kept.stop();
  const before = starts();
  await new Promise((resolve) => setTimeout(resolve, 100));
  expect(starts()).toBe(before);
});
