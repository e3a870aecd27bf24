/** Faults that a simulated site can be given: what each is about, and how it reads. */

/** What a fault is set on: a name out of one of these lists. */
export type FaultSubject = 'sites' | 'links' | 'repositories' | 'workloads';

export const FAULTS = {
  'link-cut': { on: 'links', words: 'Link cut' },
  'link-slow': { on: 'links', words: 'Link at a tenth of its rate' },
  'site-down': { on: 'sites', words: 'Site does not answer' },
  'repository-full': { on: 'repositories', words: 'Repository full' },
  'rotten-block': { on: 'repositories', words: 'A block of the newest copy rots' },
  'guest-credentials': { on: 'workloads', words: 'Guest agent credentials wrong' },
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
