/**
 * Units of the whole core, one a dimension: instants are UTC milliseconds since 1970, spans are milliseconds, amounts
 * of data are bytes, rates are bits a second. Names carry the unit (`takenAtMs`, `sentBytes`, `rateBps`).
 */

/** An instant: UTC milliseconds since 1970-01-01T00:00Z. */
export type EpochMs = number;
/** A span of elapsed time in milliseconds. */
export type DurationMs = number;

export const SECOND: DurationMs = 1_000;
export const MINUTE: DurationMs = 60_000;
export const HOUR: DurationMs = 3_600_000;
export const DAY: DurationMs = 86_400_000;

/** Bytes in the IEC prefixes (IEC 80000-13). */
export const KIB = 2 ** 10;
export const MIB = 2 ** 20;
export const GIB = 2 ** 30;
export const TIB = 2 ** 40;

/** Ends every exhaustive switch: a new variant does not compile until it is handled. */
export function assertNever(value: never): never {
  throw new Error(`unhandled variant: ${JSON.stringify(value)}`);
}
