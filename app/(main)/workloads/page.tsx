import type { Metadata } from 'next';
import { connected, momentOf, one, type SearchParams } from '@/app/context';
import { workloadFilter } from '@/app/workload-filter';
import { filterChoices, workloadPage } from '@/queries/workloads';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { WorkloadFilters } from '@/ui/workloads/workload-filters';
import { WorkloadTable } from '@/ui/workloads/workload-table';

export const metadata: Metadata = { title: 'Workloads' };

export default async function WorkloadsPage({ searchParams }: { searchParams: SearchParams }) {
  const { db } = connected();
  const params = await searchParams;
  const { asOfMs, isNow } = await momentOf(searchParams);
  const filter = workloadFilter(params);
  const [page, choices] = await Promise.all([workloadPage(db, asOfMs, isNow, filter, 0), filterChoices(db)]);
  const query = new URLSearchParams(
    Object.entries(params).flatMap(([key]) => (one(params[key]) ? [[key, one(params[key])]] : [])),
  );
  return (
    <>
      {!isNow && <AsOfBand />}
      <h1 style={{ padding: '12px 0 6px' }}>Workloads</h1>
      <WorkloadFilters sites={choices.sites} policies={choices.policies} total={page.total} />
      <WorkloadTable first={page} query={query.toString()} asOfMs={asOfMs} />
    </>
  );
}
