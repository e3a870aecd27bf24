import type { Ladder } from '@/core/protect/ladder';
import { HOUR } from '@/core/units';
import { letGoOf } from '@/engine/thin';
import type { LivePoint } from '@/store/points';

const point = (id: number, over: Partial<LivePoint> = {}): LivePoint => ({
  id,
  workload_id: 1,
  lane_key: 'backup',
  taken_ms: id * HOUR,
  held_at_ms: null,
  immutable_until_ms: null,
  bad: 0,
  ...over,
});
const newest = (count: number): Ladder => ({ reading: 'newest', count });

test('lanes are thinned by their own ladder; a lane that is no more is left alone', () => {
  const points = [
    point(1),
    point(2),
    point(3),
    point(1, { id: 11, lane_key: 'replica' }),
    point(1, { id: 21, lane_key: 'gone' }),
  ];
  expect(
    letGoOf(
      points,
      new Map([
        ['backup', newest(1)],
        ['replica', newest(1)],
      ]),
      9 * HOUR,
    ).sort(),
  ).toEqual([1, 2]);
});

test('held and immutable points stay, an immutable one until its date', () => {
  const points = [point(1, { held_at_ms: 5 }), point(2, { immutable_until_ms: 10 * HOUR }), point(3), point(4)];
  const ladders = new Map([['backup', newest(1)]]);
  expect(letGoOf(points, ladders, 9 * HOUR)).toEqual([3]);
  expect(letGoOf(points, ladders, 10 * HOUR).sort()).toEqual([2, 3]);
});

test('a bad point stands for nothing: no good one goes because of it, and it goes when it would have gone anyway', () => {
  const points = [point(1), point(2), point(3, { bad: 1 }), point(4)];
  expect(letGoOf(points, new Map([['backup', newest(2)]]), 10 * HOUR).sort()).toEqual([1]);
  expect(letGoOf([point(1, { bad: 1 }), point(2), point(3)], new Map([['backup', newest(2)]]), 10 * HOUR)).toEqual([1]);
});
