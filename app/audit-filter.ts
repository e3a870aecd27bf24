/** The filter of the audit trail in an address: the page and its CSV read the same. */
import type { AuditFilter } from '@/queries/audit';

export function auditFilterOf(read: (key: string) => string, untilMs: number): AuditFilter {
  const before = Number(read('before'));
  return {
    person: read('person'),
    action: read('action'),
    text: read('text'),
    untilMs,
    beforeId: Number.isSafeInteger(before) && before > 0 ? before : null,
  };
}
