import type { SiteController } from '@/connectors/site-controller';
import { Waits } from '@/engine/waits';

const progress = (key: string, completedMs: number | null) => ({
  key,
  sentBytes: 1,
  totalBytes: 2,
  rateBps: 8,
  completedMs,
  expectedMs: completedMs,
  failure: null,
});

test('idle means: all in hand is parked or done', async () => {
  const waits = new Waits();
  const seen: string[] = [];
  const slow = () => new Promise<void>((resolve) => setTimeout(resolve, 20));
  const site = waits.counting({ releaseSnapshot: slow } as unknown as SiteController);
  const branch = async (): Promise<void> => {
    await waits.untilTransferred('a');
    await site.releaseSnapshot('s');
    seen.push('sent');
    await waits.sleepUntil(50);
    seen.push('woken');
  };
  const work = Promise.all([branch(), waits.sleepUntil(60)]);
  await waits.untilIdle();
  expect(waits.parkedKeys).toEqual(['a']);
  waits.report(progress('a', null));
  expect(waits.lastProgress.get('a')?.sentBytes).toBe(1);
  waits.report(progress('a', 20));
  await waits.untilIdle();
  expect(seen).toEqual(['sent']);
  expect(waits.nextWakeMs).toBe(50);
  waits.wake(49);
  waits.wake(50);
  await waits.untilIdle();
  expect(seen).toEqual(['sent', 'woken']);
  waits.wake(60);
  await work;
});

test('the soonest end is known when it is known of every parked transfer', () => {
  const waits = new Waits();
  expect(waits.nextEndMs).toBeNull();
  for (const key of ['a', 'b']) void waits.untilTransferred(key);
  waits.report({ ...progress('a', null), expectedMs: 90 });
  expect(waits.nextEndMs).toBeNull();
  waits.report({ ...progress('b', null), expectedMs: 70 });
  expect(waits.nextEndMs).toBe(70);
  waits.report(progress('b', 70));
  expect(waits.nextEndMs).toBe(90);
});

test('a failed transfer rejects with its cause, an aborted wait with its error', async () => {
  const waits = new Waits();
  const failing = waits.untilTransferred('a');
  const aborted = waits.untilTransferred('b');
  waits.report({ ...progress('a', null), failure: { code: 'link-down', subject: 'x', detail: '' } });
  waits.abort('b', new Error('stop'));
  await expect(failing).rejects.toMatchObject({ code: 'link-down', retryable: true });
  await expect(aborted).rejects.toThrow('stop');
  await waits.untilIdle();
});
