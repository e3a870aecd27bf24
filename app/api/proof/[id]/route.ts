import PDFDocument from 'pdfkit';
import { answer } from '@/app/answer';
import { connected, currentSession } from '@/app/context';
import { Refusal } from '@/commands/refusal';
import { displayZone } from '@/queries/connect';
import { drillView, type DrillView } from '@/queries/runbooks';
import { exact, span } from '@/ui/format';

/** The record of a drill as PDF, for who was not there. */
export function GET(_request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    if (!(await currentSession())) throw new Refusal('not-signed-in', 'You are not signed in.');
    const id = Number((await params).id);
    if (!Number.isSafeInteger(id) || id < 1)
      throw new Refusal('bad-input', 'The number of the drill must be a whole number.', { id: 'Must be 1 or more.' });
    const { db } = connected();
    const view = await drillView(db, id);
    if (!view?.record) throw new Refusal('not-found', `There is no ended drill ${id}.`);
    const body = await write(view, await displayZone(db));
    return new Response(new Uint8Array(body), {
      headers: { 'content-type': 'application/pdf', 'content-disposition': `attachment; filename="proof-${id}.pdf"` },
    });
  });
}

function write(view: DrillView, zone: string): Promise<Buffer> {
  const doc = new PDFDocument({ size: 'A4', margin: 50, info: { Title: `Proof ${view.id}: ${view.runbook}` } });
  const chunks: Buffer[] = [];
  doc.on('data', (chunk: Buffer) => chunks.push(chunk));
  const record = view.record as NonNullable<DrillView['record']>;
  doc.fontSize(18).text(`Proof ${view.id}: ${view.runbook}`).moveDown(0.3);
  doc
    .fontSize(10)
    .text(
      `${view.application}, tier ${view.tier}. Drill of ${view.source} at ${view.target}: ${record.outcome}${record.reason ? ` (${record.reason})` : ''}.`,
    );
  doc
    .text(`Began ${exact(record.startedMs, zone)}`)
    .text(`Ended ${exact(record.endedMs, zone)}`)
    .moveDown();
  doc.text(`Age of the data (RPA): ${span(record.rpaMs)}; RPO with the site lost ${span(view.rpoMs)}`);
  doc.text(
    `Recovery time (RTA): ${record.rtaMs === null ? 'not reached' : span(record.rtaMs)}; objective ${span(view.rtoMs)}`,
  );
  doc
    .text(
      `Cleaned up: ${record.cleanup.complete ? `yes, ${record.cleanup.clonesRemoved} clones removed` : `no, left: ${record.cleanup.left.join(', ')}`}`,
    )
    .moveDown();
  for (const m of record.members) {
    doc.fontSize(11).text(m.name, { continued: true }).fontSize(10);
    doc.text(`  point ${m.pointId} taken ${exact(m.pointTakenMs, zone)}`);
    doc.text(
      `   data age ${span(m.rpaMs)}; recovery time ${m.rtaMs === null ? 'not reached' : span(m.rtaMs)}; content ${m.contentEqual ? 'equal to the point' : 'not shown equal'}`,
    );
    for (const c of m.checks)
      doc.text(`   ${c.check}: ${c.passedMs === null ? 'failed' : `passed ${exact(c.passedMs, zone)}`}, ${c.detail}`);
    if (m.failure) doc.text(`   ${m.failure.title} ${m.failure.remedy}`);
    doc.moveDown(0.4);
  }
  return new Promise((resolve) => {
    doc.on('end', () => resolve(Buffer.concat(chunks)));
    doc.end();
  });
}
