/** Source: none; what words.md says of lanes. */
import { laneFaults, lanesWithoutPlace } from '@/core/protect/lane-check';
import type { Lane } from '@/core/protect/policy';
import { DAY, HOUR, MINUTE } from '@/core/units';

const places = { datastores: new Set([1, 2]), repositories: new Set([7]) };
const backup: Lane = {
  key: 'backup',
  kind: 'backup',
  cadence: { kind: 'every', everyMs: DAY, offsetMs: 0 },
  ladder: { reading: 'bands', zone: 'UTC', rungs: [{ per: null, count: 1, spanMs: DAY }] },
  consistency: 'application',
  excludeRoles: ['scratch'],
  targets: { '1': 7 },
};
const copy: Lane = {
  ...backup,
  key: 'copy',
  kind: 'copy',
  cadence: { kind: 'after', lane: 'backup' },
  source: 'backup',
};
const stream: Lane = {
  ...backup,
  key: 'stream',
  kind: 'stream',
  cadence: { kind: 'every', everyMs: 10 * MINUTE, offsetMs: 0 },
  consistency: 'crash',
  targets: { '1': 2 },
};
const snapshot: Lane = { ...backup, key: 'snapshot', kind: 'snapshot', targets: {} };

test('lanes that can work together have no fault', () => {
  expect(laneFaults([backup, copy, stream, snapshot], places)).toEqual([]);
});

test.each<[string, readonly Lane[], keyof Lane]>([
  ['a name with a blank', [{ ...backup, key: 'my backup' }], 'key'],
  ['two of one name', [backup, backup], 'key'],
  ['after a lane that is not there', [copy], 'cadence'],
  ['a copy of nothing', [backup, { ...copy, source: 'other' }], 'source'],
  ['a copy of snapshots', [backup, snapshot, { ...copy, source: 'snapshot' }], 'source'],
  ['a backup with a source', [{ ...backup, source: 'copy' }], 'source'],
  ['a repository that is not there', [{ ...backup, targets: { '1': 8 } }], 'targets'],
  ['a backup to a datastore', [{ ...backup, targets: { '1': 2 } }], 'targets'],
  ['no place at all', [{ ...backup, targets: {} }], 'targets'],
  ['a snapshot elsewhere', [{ ...snapshot, targets: { '1': 1 } }], 'targets'],
  ['a frozen stream', [{ ...stream, consistency: 'application' }], 'consistency'],
  ['copies taken together', [backup, { ...copy, together: true }], 'together'],
  ['a stream without journal', [{ ...stream, ladder: { reading: 'newest', count: 3 } }], 'ladder'],
  ['a stream by the calendar', [{ ...stream, cadence: { kind: 'by-hand' } }], 'cadence'],
  ['a snapshot by courier', [{ ...snapshot, firstCopy: 'shipped' }], 'firstCopy'],
  ['continuous without marks', [{ ...stream, cadence: { kind: 'continuous' } }], 'cadence'],
])('%s is refused at its field', (_, lanes, field) => {
  const faults = laneFaults(lanes, places);
  expect(faults.map((fault) => fault.field)).toContain(field);
  expect(faults.every((fault) => fault.says.length > 10)).toBe(true);
});

test('the journal of a stream may have later rungs, and its first keeps all', () => {
  const rungs = [
    { per: null, count: 1, spanMs: HOUR },
    { per: 'hour', count: 1, spanMs: DAY },
  ] as const;
  expect(laneFaults([{ ...stream, ladder: { reading: 'bands', zone: 'UTC', rungs } }], places)).toEqual([]);
  const thinned = { reading: 'bands', zone: 'UTC', rungs: [rungs[1]] } as const;
  expect(laneFaults([{ ...stream, ladder: thinned }], places)[0]?.field).toBe('ladder');
});

test('a lane without a place for a site is named with it; a snapshot needs none', () => {
  const sites = [
    { id: 1, name: 'Ostgate', workloads: 4 },
    { id: 2, name: 'Millbrook', workloads: 9 },
  ];
  expect(lanesWithoutPlace([backup, snapshot], sites)).toEqual([{ lane: 'backup', site: 'Millbrook', workloads: 9 }]);
  expect(lanesWithoutPlace([backup, snapshot], sites.slice(0, 1))).toEqual([]);
});
