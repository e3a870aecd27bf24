/** Faults that a simulated site can be given: what each is about, and how it reads. */

/** What a fault is set on: a name out of one of these lists. */
export type FaultSubject = 'sites' | 'links' | 'movers' | 'repositories' | 'clusters' | 'workloads';

export const FAULTS = {
  'link-cut': { on: 'links', words: 'Link cut' },
  'link-slow': { on: 'links', words: 'Link at a tenth of its rate' },
  'link-lossy': { on: 'links', words: 'Link loses one packet in a hundred' },
  'site-down': { on: 'sites', words: 'Site does not answer' },
  'site-credentials': { on: 'sites', words: 'Credentials of the site expired' },
  'name-lookup': { on: 'sites', words: 'Name of the site leads elsewhere' },
  'clock-drift': { on: 'sites', words: 'Clock of the site is 20 minutes fast' },
  'default-password': { on: 'sites', words: 'Site still has the password it came with' },
  'mover-killed': { on: 'movers', words: 'Data mover killed' },
  'repository-full': { on: 'repositories', words: 'Repository full' },
  'repository-read-only': { on: 'repositories', words: 'Repository takes no changes' },
  'rotten-block': { on: 'repositories', words: 'A block of the newest copy rots' },
  'host-lost': { on: 'clusters', words: 'Hosts of the cluster lost' },
  'guest-credentials': { on: 'workloads', words: 'Guest agent credentials wrong' },
  'guest-agent-missing': { on: 'workloads', words: 'Guest agent missing' },
  'freeze-timeout': { on: 'workloads', words: 'Guest freeze takes too long' },
  'disks-moving': { on: 'workloads', words: 'Its disks are being moved' },
  'stuck-snapshot': { on: 'workloads', words: 'Snapshots cannot be removed' },
  'check-fails': { on: 'workloads', words: 'Service does not start on a clone' },
  'slow-boot': { on: 'workloads', words: 'Boots four times slower' },
} as const satisfies Readonly<Record<string, { readonly on: FaultSubject; readonly words: string }>>;

export type FaultKind = keyof typeof FAULTS;
export const FAULT_KINDS = Object.keys(FAULTS) as readonly FaultKind[];

/** A fault on one subject; `factor` is the share of the rate that is left, for link-slow. */
export interface Fault {
  readonly kind: FaultKind;
  readonly subject: string;
  readonly factor?: number;
}
