/** Who did what, when: searched by person, deed, subject and span. */
import type { EpochMs } from '@/core/units';
import { select, type Database } from '@/store/database';
import { parseJson } from '@/store/schedules';

export interface AuditFilter {
  readonly person: string;
  readonly action: string;
  readonly text: string;
  readonly untilMs: EpochMs;
  /** Entries before this one only; null: from the newest on. */
  readonly beforeId: number | null;
}
export interface AuditEntry {
  readonly id: number;
  readonly atMs: EpochMs;
  readonly person: string;
  readonly token: string | null;
  readonly action: string;
  readonly subject: string;
  readonly detail: Readonly<Record<string, unknown>>;
}

export async function auditTrail(db: Database, filter: AuditFilter, limit: number): Promise<AuditEntry[]> {
  const where = ['e.at_ms <= :untilMs'];
  if (filter.person) where.push('u.name = :person');
  if (filter.action) where.push('e.action = :action');
  if (filter.text) where.push('(e.subject LIKE :text OR e.detail LIKE :text)');
  if (filter.beforeId !== null) where.push('e.id < :beforeId');
  const rows = await select<{
    id: number;
    at_ms: EpochMs;
    person: string | null;
    token: string | null;
    action: string;
    subject: string;
    detail: string | Record<string, unknown>;
  }>(
    db,
    `SELECT e.id, e.at_ms, u.full_name person, t.name token, e.action, e.subject, e.detail FROM audit_entries e
       LEFT JOIN users u ON u.id = e.user_id LEFT JOIN api_tokens t ON t.id = e.token_id
      WHERE ${where.join(' AND ')} ORDER BY e.id DESC LIMIT :limit`,
    { ...filter, text: `%${filter.text.replace(/[\\%_]/g, '\\$&')}%`, limit },
  );
  return rows.map((e) => ({
    id: e.id,
    atMs: e.at_ms,
    person: e.person ?? 'nobody',
    token: e.token,
    action: e.action,
    subject: e.subject,
    detail: parseJson(e.detail),
  }));
}

/** Choices of the filter: people, and deeds that were done. */
export async function auditChoices(
  db: Database,
): Promise<{ readonly people: readonly string[]; readonly actions: readonly string[] }> {
  const [people, actions] = await Promise.all([
    select<{ name: string }>(db, 'SELECT name FROM users ORDER BY name'),
    select<{ action: string }>(db, 'SELECT DISTINCT action FROM audit_entries ORDER BY action'),
  ]);
  return { people: people.map((p) => p.name), actions: actions.map((a) => a.action) };
}
