import {
  attainment,
  copyFindings,
  groupAttainment,
  replicaLag,
  type CopyPlace,
  type Kept,
} from '@/core/point/attainment';
import { HOUR, MINUTE } from '@/core/units';

// By definition: time over the RPO against all time.
test('time over counts inside the span only, and an open miss until its end', () => {
  const spans = [
    { workloadId: 1, fromMs: -HOUR, toMs: HOUR },
    { workloadId: 1, fromMs: 9 * HOUR, toMs: null },
    { workloadId: 2, fromMs: 20 * HOUR, toMs: 21 * HOUR },
    { workloadId: 9, fromMs: 0, toMs: HOUR },
  ];
  const kept = attainment([1, 2], spans, 0, 10 * HOUR);
  expect(kept.get(1)).toEqual({ share: 0.8, overMs: 2 * HOUR, misses: 2, longestMs: HOUR });
  expect(kept.get(2)).toEqual({ share: 1, overMs: 0, misses: 0, longestMs: 0 });
  expect(groupAttainment([...kept.values()])).toEqual({ share: 0.9, overMs: 2 * HOUR, misses: 2, longestMs: HOUR });
  expect(groupAttainment([]).share).toBe(1);
  expect((attainment([1], [], 5, 5).get(1) as Kept).share).toBe(1);
});
test('the lag of a replica, and what is still to send, at most the whole', () => {
  expect(replicaLag(0, 10 * MINUTE, 2, 1e12)).toEqual({ lagMs: 10 * MINUTE, toSendBytes: 1_200_000 });
  expect(replicaLag(0, 10 * MINUTE, 2, 1000)).toEqual({ lagMs: 10 * MINUTE, toSendBytes: 1000 });
  expect(replicaLag(null, 0, 2, 1000)).toEqual({ lagMs: null, toSendBytes: 1000 });
  expect(replicaLag(5, 0, 2, 1000).lagMs).toBe(0);
});

const place = (siteId: number, storage: string, immutable = false, verified: boolean | null = true): CopyPlace => ({
  siteId,
  storage,
  immutable,
  verified,
});
const original = place(1, 'datastore', false, null);
const unmet = (copies: readonly CopyPlace[]) =>
  copyFindings(original, copies)
    .filter((f) => !f.met)
    .map((f) => f.rule);
// 3-2-1-1-0: common practice, no source.
test.each<[string, CopyPlace[], string[]]>([
  ['all is well', [place(2, 'datastore'), place(2, 'repository', true)], []],
  ['nothing but the original', [], ['copies', 'storages', 'off-site', 'immutable']],
  ['all at home', [place(1, 'repository', true), place(1, 'repository')], ['off-site']],
  ['one kind of storage', [place(2, 'datastore', true), place(3, 'datastore')], ['storages']],
  ['nothing locked', [place(2, 'repository'), place(3, 'repository')], ['immutable']],
  [
    'a copy that failed its verification is no copy',
    [place(2, 'repository', true, false), place(3, 'repository')],
    ['copies', 'immutable', 'errors'],
  ],
  ['not read back yet is no error', [place(2, 'repository', true, null), place(2, 'datastore', false, null)], []],
])('%s', (_name, copies, rules) => expect(unmet(copies)).toEqual(rules));
