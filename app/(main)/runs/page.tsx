import type { Metadata } from 'next';
import { connected, momentOf, one, type SearchParams } from '@/app/context';
import { runList } from '@/queries/runs';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { RunFilters } from '@/ui/runs/run-filters';
import { RunTable } from '@/ui/runs/run-table';

export const metadata: Metadata = { title: 'Runs' };
const SHOWN = 150;

export default async function RunsPage({ searchParams }: { searchParams: SearchParams }) {
  const params = await searchParams;
  const { asOfMs, isNow } = await momentOf(searchParams);
  const filter = {
    state: one(params.state),
    cause: one(params.cause),
    subject: one(params.subject),
    text: one(params.text),
  };
  const { runs, day } = await runList(connected().db, asOfMs, filter, SHOWN);
  return (
    <>
      {!isNow && <AsOfBand />}
      <h1 style={{ padding: '12px 0 6px' }}>Runs</h1>
      <RunFilters day={day} />
      <RunTable runs={runs} asOfMs={asOfMs} canAct={isNow} shown={SHOWN} />
    </>
  );
}
