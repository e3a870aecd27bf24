/** What goes over the line for what was written, and how fast a mover sends it: by compression and encryption. */
import { type DiskRole, type LaneKind, type Sending } from '@/core/protect/policy';
import type { DurationMs } from '@/core/units';
import { COMPRESSED } from '@/standin/world/copies';
import type { PlaceName } from '@/standin/world/estate';

/** Bytes on the line for a byte that was written; common practice, no source. */
const WIRE_SHARE: Readonly<Record<Sending['compression'], number>> = {
  none: 1,
  fast: COMPRESSED,
  strong: 0.8 * COMPRESSED,
};
/** Share of a mover's rate that one sender reaches while it works on the bytes; common practice, no source. */
const WORK_SHARE: Readonly<Record<Sending['compression'], number>> = { none: 1, fast: 1, strong: 0.4 };
const ENCRYPTED_SHARE = 0.7;

/** Bytes on the line for one byte that was written. */
export const wireShareOf = ({ compression }: Sending): number => WIRE_SHARE[compression];

/** Most that one sender gets out of a mover, in bits a second; Infinity: nothing holds it back. */
export function senderLimit({ compression, encrypted }: Sending, moverBps: number | undefined): number {
  const share = WORK_SHARE[compression] * (encrypted ? ENCRYPTED_SHARE : 1);
  return moverBps !== undefined && share < 1 ? moverBps * share : Infinity;
}

export interface TransferOrder {
  readonly key: string;
  readonly snapshotKey: string;
  readonly kind: LaneKind;
  readonly place: PlaceName;
  readonly excludeRoles: readonly DiskRole[];
  readonly sending?: Sending;
}
export interface StreamOrder {
  readonly key: string;
  /** The copy that it goes on from. */
  readonly copyKey: string;
  readonly place: PlaceName;
  readonly journalMs: DurationMs;
  readonly sending?: Sending;
}
