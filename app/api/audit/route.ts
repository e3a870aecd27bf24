import Papa from 'papaparse';
import { answer } from '@/app/answer';
import { auditFilterOf } from '@/app/audit-filter';
import { connected, currentSession } from '@/app/context';
import { Refusal } from '@/commands/refusal';
import { auditTrail } from '@/queries/audit';

/** Entries in one file at most. */
const MOST = 50_000;

/** The trail as filtered, as CSV (RFC 4180). */
export function GET(request: Request): Promise<Response> {
  return answer(async () => {
    if (!(await currentSession())) throw new Refusal('not-signed-in', 'You are not signed in.');
    const { db, clock } = connected();
    const search = new URL(request.url).searchParams;
    const filter = auditFilterOf((key) => (search.get(key) ?? '').slice(0, 200), (await clock.read()).nowMs);
    const entries = await auditTrail(db, filter, MOST);
    const csv = Papa.unparse(
      entries.map((e) => ({
        id: e.id,
        at: new Date(e.atMs).toISOString(),
        person: e.person,
        token: e.token ?? '',
        deed: e.action,
        subject: e.subject,
        detail: JSON.stringify(e.detail),
      })),
      // A cell that a spreadsheet would take for a formula is marked as text.
      { newline: '\r\n', escapeFormulae: true },
    );
    return new Response(csv, {
      headers: { 'content-type': 'text/csv; charset=utf-8', 'content-disposition': 'attachment; filename="audit.csv"' },
    });
  });
}
