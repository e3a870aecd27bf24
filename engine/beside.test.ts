import { Beside } from '@/engine/beside';

const gate = () => {
  let open: () => void = () => undefined;
  const opened = new Promise<void>((resolve) => (open = resolve));
  return { open, opened };
};
const logged: unknown[] = [];
const log = { error: (facts: unknown) => logged.push(facts) } as never;

test('a kind of work is under way once at most, and can be waited for', async () => {
  const beside = new Beside(log);
  const first = gate();
  const done: string[] = [];
  expect(beside.begin('thinning', () => first.opened.then(() => done.push('first')))).toBe(true);
  expect(beside.begin('thinning', () => Promise.resolve(done.push('second')))).toBe(false);
  expect(beside.begin('read-back', () => Promise.resolve(done.push('other')))).toBe(true);
  first.open();
  await beside.done();
  expect(done).toEqual(['other', 'first']);
  expect(beside.begin('thinning', () => Promise.resolve())).toBe(true);
});

test('what fails is logged, keeps nobody from going on, and is begun again only after a pause', async () => {
  const beside = new Beside(log);
  beside.begin('thinning', () => Promise.reject(new Error('gone away')));
  await beside.done();
  expect(logged).toMatchObject([{ what: 'thinning', err: { message: 'gone away' } }]);
  expect(beside.begin('thinning', () => Promise.resolve())).toBe(false);
  expect(beside.begin('read-back', () => Promise.resolve())).toBe(true);
});
