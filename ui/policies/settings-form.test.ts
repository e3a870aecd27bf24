import type { Lane } from '@/core/protect/policy';
import { DAY } from '@/core/units';
import { saySettings } from '@/ui/policies/lane-words';
import { FREEZE_CHOICES, readSettings, settingsOf } from '@/ui/policies/settings-form';

const zone = 'Europe/Oslo';
const plain: Lane = {
  key: 'backup',
  kind: 'backup',
  cadence: { kind: 'every', everyMs: DAY, offsetMs: 0 },
  ladder: { reading: 'bands', zone, rungs: [{ per: null, count: 1, spanMs: DAY }] },
  consistency: 'application',
  excludeRoles: ['scratch'],
  targets: { '1': 2 },
};
const special: Lane = {
  ...plain,
  withoutFreeze: 'go-on',
  sending: { compression: 'strong', encrypted: true },
  firstCopy: 'at-night',
  together: true,
  opening: {
    windows: [{ kind: 'weekly', zone, weekdays: [1, 2, 3, 4, 5, 6, 7], fromMin: 1320, toMin: 360 }],
    blackouts: [{ kind: 'dated', fromMs: 0, toMs: DAY }],
  },
};

test.each([plain, special, { ...plain, kind: 'copy', source: 'backup' } as Lane])(
  'what is shown and read back unchanged is the same lane: %#',
  (lane) => {
    const read = readSettings(settingsOf(lane), lane, zone);
    if (!read.ok) throw new Error(JSON.stringify(read.errors));
    const { key, kind, cadence, ladder } = lane;
    expect({ key, kind, cadence, ladder, ...read.settings }).toEqual(lane);
  },
);

test.each(FREEZE_CHOICES)('the choice of %s is kept as it was', (freeze) => {
  const read = readSettings({ ...settingsOf(plain), freeze }, plain, zone);
  if (!read.ok) throw new Error('it can be read');
  expect(settingsOf({ ...plain, ...read.settings }).freeze).toBe(freeze);
});

test('hours that cannot be read are named at their field', () => {
  const read = readSettings({ ...settingsOf(plain), only: 'at dawn', never: 'Mon 8-9' }, plain, zone);
  expect(read.ok ? [] : Object.keys(read.errors)).toEqual(['only', 'never']);
});

test('in words: only what is special, and a stream by its journal', () => {
  expect(saySettings(plain)).toBe('with guest freeze; leaves out scratch; fast compression');
  expect(saySettings(special)).toBe(
    'with guest freeze where it can be had; workloads of an application at one instant; leaves out scratch; strong compression, encrypted; first copy at night; starts only every day 22:00-06:00, never in 1 dated span',
  );
  const flushed = { ...plain, consistency: 'filesystem', withoutFreeze: 'go-on' } as const;
  expect(saySettings(flushed)).toContain('with file systems flushed where it can be had; ');
  expect(saySettings({ ...plain, kind: 'stream', consistency: 'crash' })).toContain('journal of 24 h');
  expect(saySettings({ ...plain, kind: 'snapshot', consistency: 'crash' })).toBe(
    'without guest freeze; leaves out scratch',
  );
});
