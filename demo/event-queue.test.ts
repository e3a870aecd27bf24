import fc from 'fast-check';
import { EventQueue } from '@/demo/event-queue';

test('law: happenings come out by instant, equal instants in order of arrival', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 0, max: 20 }), { maxLength: 60 }), (instants) => {
      const queue = new EventQueue();
      const seen: Array<[number, number]> = [];
      instants.forEach((at, i) => queue.push(at, () => seen.push([at, i])));
      while (queue.nextMs !== null) queue.popUntil(queue.nextMs).forEach((act) => act());
      expect(seen).toEqual([...seen].sort((a, b) => a[0] - b[0] || a[1] - b[1]));
      expect(seen).toHaveLength(instants.length);
    }),
  );
});

test('what lies ahead stays', () => {
  const queue = new EventQueue();
  queue.push(5, () => undefined);
  expect(queue.popUntil(4)).toEqual([]);
  expect(queue.nextMs).toBe(5);
});
