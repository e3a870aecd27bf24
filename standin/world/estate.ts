/** What a simulated world is made of: given once, at its making. */
import type { DiskSpec } from '@/standin/world/content';
import type { EpochMs } from '@/core/units';

export interface EstateSite {
  readonly id: number;
  readonly code: string;
  readonly name: string;
}
export interface EstateLink {
  readonly id: number;
  readonly name: string;
  readonly siteA: number;
  readonly siteB: number;
  readonly rateBps: number;
  /** Hours of the day (UTC) in which the line is slow by itself, with the share of its rate that is left. */
  readonly slow?: { readonly fromHour: number; readonly toHour: number; readonly factor: number };
}
export interface EstateMover {
  readonly id: number;
  readonly siteId: number;
  readonly name: string;
  readonly rateBps: number;
}
export interface EstatePlace {
  readonly kind: 'datastore' | 'repository';
  readonly id: number;
  readonly siteId: number;
  readonly name: string;
  readonly capacityBytes: number;
}
export interface PlaceName {
  readonly kind: 'datastore' | 'repository';
  readonly id: number;
}
export interface EstateWorkload {
  readonly id: number;
  readonly name: string;
  readonly siteId: number;
  readonly guestAgent: boolean;
  /** Seconds that its machine takes to boot, and its service to answer after that. */
  readonly bootSeconds: number;
  readonly serviceSeconds: number;
  readonly disks: readonly DiskSpec[];
  /** Where its working disks lie. */
  readonly datastoreId?: number;
  /** Cluster it runs on. */
  readonly cluster?: string;
}
export interface Estate {
  readonly bornMs: EpochMs;
  readonly sites: readonly EstateSite[];
  readonly links: readonly EstateLink[];
  readonly movers: readonly EstateMover[];
  readonly places: readonly EstatePlace[];
  readonly workloads: readonly EstateWorkload[];
}

/** Name of a place in lists. */
export function placeKey(place: Pick<EstatePlace, 'kind' | 'id'>): string {
  return `${place.kind}:${place.id}`;
}
