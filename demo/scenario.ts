/** Fennmark Rail, a made-up regional railway: what it has, how it is protected, and what went wrong in five weeks. */
import type { Lane } from '@/core/protect/policy';
import type { BandRung, Ladder } from '@/core/protect/ladder';
import { DAY, GIB, HOUR, MINUTE, TIB } from '@/core/units';

/** The demo begins here: Thursday 12 March 2026, 08:14 in Oslo. */
export const START_MS = Date.parse('2026-03-12T07:14:00Z');
export const HISTORY_MS = 35 * DAY;
export const ZONE = 'Europe/Oslo';

export const TIERS = [
  { id: 1, rpo: 15 * MINUTE, rpoSiteLost: 30 * MINUTE, rto: 45 * MINUTE, drill: 90 * DAY, copies: 3, keep: 30 * DAY },
  { id: 2, rpo: HOUR, rpoSiteLost: 4 * HOUR, rto: 2 * HOUR, drill: 90 * DAY, copies: 3, keep: 30 * DAY },
  { id: 3, rpo: 4 * HOUR, rpoSiteLost: 26 * HOUR, rto: 8 * HOUR, drill: 90 * DAY, copies: 2, keep: 30 * DAY },
  { id: 4, rpo: DAY, rpoSiteLost: 48 * HOUR, rto: 24 * HOUR, drill: 180 * DAY, copies: 2, keep: 14 * DAY },
] as const;

export const SITES = [
  {
    id: 1,
    code: 'OST',
    name: 'Ostgate',
    kind: 'main hall',
    zone: ZONE,
    x: 118,
    y: 98,
    subnet: '192.0.2',
    cores: 640,
    memory: 4 * TIB,
  },
  {
    id: 2,
    code: 'MIL',
    name: 'Millbrook',
    kind: 'second hall',
    zone: ZONE,
    x: 236,
    y: 40,
    subnet: '198.51.100',
    cores: 640,
    memory: 4 * TIB,
  },
  {
    id: 3,
    code: 'HOL',
    name: 'Hollin Point',
    kind: 'edge room at a depot',
    zone: ZONE,
    x: 72,
    y: 184,
    subnet: '203.0.113',
    cores: 128,
    memory: TIB,
  },
  {
    id: 4,
    code: 'NOR',
    name: 'Norde',
    kind: 'cloud region',
    zone: 'Europe/Stockholm',
    x: 258,
    y: 154,
    subnet: '2001:db8:40::',
    cores: 512,
    memory: 3 * TIB,
  },
] as const;

export const LINKS = [
  { id: 1, name: 'Ostgate – Millbrook', a: 1, b: 2, rateBps: 10e9, rttMs: 3, loss: 0 },
  {
    id: 2,
    name: 'Ostgate – Hollin Point',
    a: 1,
    b: 3,
    rateBps: 300e6,
    rttMs: 9,
    loss: 1e-4,
    slow: { fromHour: 15, toHour: 18, factor: 0.35 },
  },
  { id: 3, name: 'Ostgate – Norde', a: 1, b: 4, rateBps: 2e9, rttMs: 24, loss: 1e-6 },
  { id: 4, name: 'Millbrook – Norde', a: 2, b: 4, rateBps: 1e9, rttMs: 22, loss: 1e-6 },
] as const;

/** Datastores: the first of a site carries its machines, the second receives replicas. */
export const DATASTORES = [
  { id: 1, site: 1, name: 'ost-s1' },
  { id: 2, site: 1, name: 'ost-s2' },
  { id: 3, site: 2, name: 'mil-s1' },
  { id: 4, site: 2, name: 'mil-s2' },
  { id: 5, site: 3, name: 'hol-s1' },
  { id: 6, site: 4, name: 'nor-s1' },
  { id: 7, site: 4, name: 'nor-s2' },
] as const;
export const DATASTORE_BYTES = 60 * TIB;

export const REPOSITORIES = [
  { id: 1, site: 1, name: 'ost-r1', capacity: 7 * TIB, immutableMs: 0 },
  { id: 2, site: 2, name: 'mil-r1', capacity: 6.25 * TIB, immutableMs: 7 * DAY },
  { id: 3, site: 4, name: 'nor-r1', capacity: 8 * TIB, immutableMs: 0 },
] as const;

export const MOVERS = [
  { id: 1, site: 1, name: 'ost-m1', slots: 16, rateBps: 10e9 },
  { id: 2, site: 2, name: 'mil-m1', slots: 16, rateBps: 10e9 },
  { id: 3, site: 3, name: 'hol-m1', slots: 4, rateBps: 1e9 },
  { id: 4, site: 4, name: 'nor-m1', slots: 8, rateBps: 4e9 },
] as const;

/** Applications: key, name, tier, workloads by site (Ostgate, Millbrook, Hollin Point, Norde), roles in turn. */
export const APPLICATIONS: ReadonlyArray<
  readonly [string, string, 1 | 2 | 3 | 4, readonly [number, number, number, number], readonly string[]]
> = [
  ['tkt', 'Ticketing', 1, [5, 0, 0, 0], ['db', 'mq', 'api', 'pay', 'web']],
  ['pis', 'Passenger information', 1, [2, 2, 0, 2], ['db', 'feed', 'sign']],
  ['idn', 'Identity', 1, [1, 1, 1, 1], ['dc']],
  ['ctl', 'Control-room log', 1, [3, 3, 0, 0], ['db', 'gw', 'rec']],
  ['wea', 'Weather feed', 1, [2, 1, 0, 0], ['feed']],
  ['ttp', 'Timetable planning', 2, [6, 5, 0, 0], ['db', 'app', 'job', 'web']],
  ['crw', 'Crew rostering', 2, [5, 6, 0, 0], ['db', 'app', 'web', 'api']],
  ['dep', 'Depot stock', 2, [2, 0, 8, 0], ['db', 'app', 'scan']],
  ['ksk', 'Station kiosks', 2, [2, 2, 0, 5], ['hub', 'api']],
  ['msg', 'Messaging', 2, [3, 3, 0, 2], ['mx', 'mq']],
  ['tel', 'Fleet telemetry', 2, [2, 2, 0, 0], ['db', 'feed']],
  ['pay', 'Payroll', 3, [5, 3, 0, 0], ['db', 'app', 'job', 'web']],
  ['fin', 'Finance', 3, [6, 5, 0, 0], ['db', 'app', 'rep', 'web']],
  ['cci', 'CCTV index', 3, [4, 4, 6, 0], ['idx', 'api']],
  ['doc', 'Engineering documents', 3, [4, 4, 0, 3], ['db', 'store', 'web', 'ocr']],
  ['int', 'Intranet', 3, [2, 2, 0, 4], ['db', 'app', 'web']],
  ['geo', 'Track maps', 3, [2, 0, 3, 2], ['tile', 'db']],
  ['lst', 'Lost property', 3, [1, 1, 0, 0], ['db', 'web']],
  ['sig', 'Signal archive', 3, [2, 1, 0, 0], ['arc']],
  ['prt', 'Print service', 3, [1, 1, 1, 0], ['app']],
  ['tsa', 'Track-sensor archive', 4, [4, 4, 3, 2], ['arc', 'idx']],
  ['trn', 'Training simulator', 4, [3, 2, 0, 2], ['sim', 'app']],
  ['tst', 'Test beds', 4, [4, 3, 1, 4], ['vm']],
  ['can', 'Staff canteen', 4, [1, 1, 0, 0], ['app']],
  ['fil', 'File shares', 4, [2, 2, 2, 0], ['fs']],
];

const bands = (...rungs: BandRung[]): Ladder => ({ reading: 'bands', zone: ZONE, rungs });
const all = (spanMs: number): BandRung => ({ per: null, count: 1, spanMs });
const one = (per: 'hour' | 'day' | 'week' | 'month', spanMs: number): BandRung => ({ per, count: 1, spanMs });
const every = (everyMs: number) => ({ kind: 'every', everyMs, offsetMs: 0 }) as const;
const daily = (...hours: number[]) =>
  ({
    kind: 'rule',
    zone: ZONE,
    start: '2026-01-05T00:00',
    rule: `FREQ=DAILY;BYHOUR=${hours.join(',')};BYMINUTE=0`,
  }) as const;
/** Where each site's copies go: another site's replica datastore, another site's repository. */
const REPLICA_TO = { '1': 4, '2': 2, '3': 2, '4': 4 };
const BACKUP_TO = { '1': 2, '2': 1, '3': 1, '4': 2 };

const replica = (everyMs: number, ladder: Ladder): Lane => ({
  key: 'replica',
  kind: 'replica',
  cadence: every(everyMs),
  ladder,
  consistency: 'crash',
  excludeRoles: ['scratch'],
  targets: REPLICA_TO,
});
const snapshot = (everyMs: number, ladder: Ladder): Lane => ({
  key: 'snapshot',
  kind: 'snapshot',
  cadence: every(everyMs),
  ladder,
  consistency: 'crash',
  excludeRoles: ['scratch'],
  targets: {},
});
const backup = (
  cadence: Lane['cadence'],
  ladder: Ladder,
  consistency: Lane['consistency'],
  targets: Lane['targets'] = BACKUP_TO,
): Lane => ({
  key: 'backup',
  kind: 'backup',
  cadence,
  ladder,
  consistency,
  excludeRoles: ['scratch'],
  targets,
});

/** The backups again, in the cloud region; what lives there comes back to the main hall. */
const copy = (ladder: Ladder): Lane => ({
  key: 'copy',
  kind: 'copy',
  cadence: { kind: 'after', lane: 'backup' },
  source: 'backup',
  ladder,
  consistency: 'application',
  excludeRoles: ['scratch'],
  targets: { '1': 3, '2': 3, '3': 3, '4': 1 },
});

export const POLICIES: ReadonlyArray<{
  id: number;
  name: string;
  note: string;
  /** Whom it takes: a selector as people write it. */
  takes: string;
  lanes: readonly Lane[];
}> = [
  {
    id: 1,
    name: 'Tier 1 critical',
    note: 'Replica ready to start at the other hall, backup every night and its copy in the cloud region',
    takes: 'tier is 1 and not application is "Control-room log"',
    lanes: [
      replica(12 * MINUTE, bands(all(6 * HOUR), one('hour', 2 * DAY), one('day', 7 * DAY))),
      backup(daily(21), bands(one('day', 14 * DAY), one('week', 56 * DAY)), 'application'),
      copy(bands(one('day', 21 * DAY), one('month', 90 * DAY))),
    ],
  },
  {
    id: 6,
    name: 'Control-room log',
    note: 'Every second of the last four hours at the other hall; every night all of it at one instant',
    takes: 'application is "Control-room log"',
    lanes: [
      {
        key: 'stream',
        kind: 'stream',
        cadence: every(10 * MINUTE),
        ladder: bands(all(4 * HOUR)),
        consistency: 'crash',
        excludeRoles: ['scratch'],
        targets: REPLICA_TO,
        sending: { compression: 'fast', encrypted: true },
      },
      {
        ...backup(daily(21), bands(one('day', 14 * DAY), one('week', 56 * DAY)), 'application'),
        together: true,
        withoutFreeze: 'go-on',
      },
      copy(bands(one('day', 21 * DAY), one('month', 90 * DAY))),
    ],
  },
  {
    id: 2,
    name: 'Tier 2 main halls',
    note: 'Snapshots on the spot, replica at the other hall, backup every night',
    takes: 'tier is 2 and site is Ostgate, Millbrook',
    lanes: [
      snapshot(40 * MINUTE, bands(all(12 * HOUR), one('hour', DAY))),
      replica(2 * HOUR, bands(all(DAY), one('day', 7 * DAY))),
      backup(daily(22), bands(one('day', 14 * DAY), one('week', 56 * DAY)), 'application'),
    ],
  },
  {
    id: 3,
    name: 'Tier 2 edge and cloud',
    note: 'Where no second hall is near: snapshots, and backup over the line by night',
    takes: 'tier is 2 and site is "Hollin Point", Norde',
    lanes: [
      snapshot(40 * MINUTE, bands(all(12 * HOUR), one('hour', DAY))),
      backup(daily(4, 12, 20), bands(all(2 * DAY), one('day', 14 * DAY)), 'crash'),
    ],
  },
  {
    id: 4,
    name: 'Tier 3 standard',
    note: 'Snapshots every two hours, backup every night',
    takes: 'tier is 3',
    lanes: [
      snapshot(2 * HOUR, bands(all(2 * DAY))),
      backup(daily(23), bands(one('day', 21 * DAY), one('month', 90 * DAY)), 'crash'),
    ],
  },
  {
    id: 5,
    name: 'Tier 4 daily',
    note: 'Backup twice a day, nothing else',
    // Somebody left these two out once, and nobody remembers why.
    takes: 'tier is 4 and not name is tst-vm-12, fil-fs-06',
    lanes: [
      backup(daily(6, 18), bands(all(3 * DAY), one('day', 14 * DAY)), 'crash', {
        '1': 3,
        '2': 3,
        '3': 1,
        '4': 2,
      }),
    ],
  },
];

/** What went wrong, and when: minutes before START. `forMin` null: it still does. */
export const TROUBLE: ReadonlyArray<{
  kind: 'link-cut' | 'link-slow' | 'site-down' | 'guest-credentials' | 'check-fails';
  subject: string;
  agoMin: number;
  forMin: number | null;
  factor?: number;
}> = [
  { kind: 'link-cut', subject: 'Ostgate – Norde', agoMin: 24 * 1440 + 300, forMin: 95 },
  { kind: 'link-slow', subject: 'Ostgate – Hollin Point', agoMin: 13 * 1440, forMin: 600, factor: 0.1 },
  { kind: 'link-cut', subject: 'Ostgate – Millbrook', agoMin: 5 * 1440 + 490, forMin: 74 },
  { kind: 'site-down', subject: 'Hollin Point', agoMin: 2 * 1440 + 1100, forMin: 96 },
  { kind: 'link-cut', subject: 'Millbrook – Norde', agoMin: 1440 + 400, forMin: 48 },
  { kind: 'check-fails', subject: 'crw-app-01', agoMin: 10 * 1440 + 400, forMin: 240 },
  { kind: 'guest-credentials', subject: 'crw-db-01', agoMin: 1440 + 840, forMin: null },
];

/** Drills that were held: application, source site, minutes before START. The rest was never drilled. */
export const DRILLS_HELD: ReadonlyArray<{ application: string; from: number; agoMin: number }> = [
  { application: 'Passenger information', from: 1, agoMin: 31 * 1440 },
  { application: 'Control-room log', from: 1, agoMin: 30 * 1440 },
  { application: 'Control-room log', from: 2, agoMin: 29 * 1440 },
  { application: 'Timetable planning', from: 1, agoMin: 27 * 1440 },
  { application: 'Timetable planning', from: 2, agoMin: 26 * 1440 },
  { application: 'Messaging', from: 1, agoMin: 25 * 1440 },
  { application: 'Messaging', from: 2, agoMin: 23 * 1440 },
  { application: 'Ticketing', from: 1, agoMin: 20 * 1440 },
  { application: 'Finance', from: 1, agoMin: 19 * 1440 },
  { application: 'Finance', from: 2, agoMin: 18 * 1440 },
  { application: 'CCTV index', from: 1, agoMin: 16 * 1440 },
  { application: 'CCTV index', from: 2, agoMin: 15 * 1440 },
  { application: 'Engineering documents', from: 1, agoMin: 13 * 1440 },
  { application: 'Engineering documents', from: 2, agoMin: 12 * 1440 },
  { application: 'Station kiosks', from: 1, agoMin: 11 * 1440 },
  { application: 'Crew rostering', from: 1, agoMin: 10 * 1440 + 300 },
  { application: 'Crew rostering', from: 1, agoMin: 9 * 1440 },
  { application: 'Crew rostering', from: 2, agoMin: 8 * 1440 },
  { application: 'Depot stock', from: 3, agoMin: 6 * 1440 },
  { application: 'Intranet', from: 2, agoMin: 4 * 1440 },
  { application: 'Identity', from: 1, agoMin: 2 * 1440 + 300 },
  { application: 'Fleet telemetry', from: 1, agoMin: 1440 + 200 },
];

/** Disks of a role: role, size, share of blocks written at all, mean time between writes of a block. */
export const DISKS: Readonly<
  Record<string, ReadonlyArray<readonly ['system' | 'data' | 'config' | 'scratch', number, number, number]>>
> = {
  db: [
    ['system', 80 * GIB, 0.03, 4 * DAY],
    ['data', 600 * GIB, 0.12, 3 * DAY],
    ['scratch', 60 * GIB, 0.5, HOUR],
  ],
  arc: [
    ['system', 60 * GIB, 0.03, 4 * DAY],
    ['data', 900 * GIB, 0.06, 9 * DAY],
  ],
  idx: [
    ['system', 60 * GIB, 0.03, 4 * DAY],
    ['data', 400 * GIB, 0.1, 4 * DAY],
  ],
  fs: [
    ['system', 60 * GIB, 0.02, 5 * DAY],
    ['data', 800 * GIB, 0.05, 8 * DAY],
  ],
  store: [
    ['system', 60 * GIB, 0.03, 4 * DAY],
    ['data', 700 * GIB, 0.05, 6 * DAY],
  ],
  mq: [
    ['system', 60 * GIB, 0.03, 4 * DAY],
    ['data', 120 * GIB, 0.2, DAY],
  ],
  dc: [
    ['system', 80 * GIB, 0.05, 3 * DAY],
    ['config', 20 * GIB, 0.05, 6 * DAY],
  ],
};
export const PLAIN_DISKS: (typeof DISKS)[string] = [
  ['system', 60 * GIB, 0.04, 3 * DAY],
  ['scratch', 16 * GIB, 0.4, HOUR],
];
export const DATA_ROLES = new Set(['db', 'arc', 'idx', 'fs', 'store', 'mq', 'dc']);
