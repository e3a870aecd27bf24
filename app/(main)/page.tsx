import type { Metadata } from 'next';
import Link from 'next/link';
import { assertNever } from '@/core/units';
import { connected, momentOf, type SearchParams } from '@/app/context';
import type { AttentionEntry } from '@/queries/attention';
import { displayZone } from '@/queries/connect';
import { watch } from '@/queries/watch';
import { clock, day } from '@/ui/format';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { WatchBoard, type AttentionRow } from '@/ui/watch/watch-board';

export const metadata: Metadata = { title: 'Watch' };

export default async function WatchPage({ searchParams }: { searchParams: SearchParams }) {
  const { db } = connected();
  const { asOfMs, isNow } = await momentOf(searchParams);
  const [data, zone] = await Promise.all([watch(db, asOfMs, isNow), displayZone(db)]);
  const { total, over, closing, unproven } = data.counts;
  const at = isNow ? '' : `&at=${asOfMs}`;
  const past = !isNow;
  if (total === 0) return <NothingYet />;
  return (
    <>
      {past && <AsOfBand />}
      <section className="lede" aria-label="Summary">
        <p>
          {past && `On ${day(asOfMs, zone)} at ${clock(asOfMs, zone)}, `}
          <b>{total - over}</b> of {total} workloads {past ? 'were' : 'are'} inside their RPO.{' '}
          {over > 0 ? (
            <Link className="s-over" href={`/workloads?standing=over${at}`}>
              <b>{over}</b> {past ? (over === 1 ? 'was' : 'were') : over === 1 ? 'is' : 'are'} over
            </Link>
          ) : (
            `None ${past ? 'were' : 'are'} over`
          )}
          {closing > 0 && (
            <>
              ,{' '}
              <Link className="s-closing" href={`/workloads?standing=closing${at}`}>
                <b>{closing}</b> more {past ? 'went over' : 'will be'} within 2 h
              </Link>
              {!past && ' if nothing changes'}
            </>
          )}
          .{' '}
          <Link href={`/workloads?unproven=1${at}`}>
            <b>{unproven}</b> {past ? 'had' : 'have'} no passed drill in their interval
          </Link>
          .
        </p>
      </section>
      <WatchBoard
        soundings={data.bars}
        grouped={data.grouped}
        attention={data.attention.map(rowOf)}
        sites={data.sites}
        links={data.links}
      />
    </>
  );
}

function rowOf({ action, ...entry }: AttentionEntry): AttentionRow {
  return { ...entry, href: hrefOf(action), label: action.label };
}

function hrefOf(action: AttentionEntry['action']): string {
  switch (action.kind) {
    case 'open-runs':
      return `/runs?state=failed&cause=${encodeURIComponent(action.cause)}&subject=${encodeURIComponent(action.subject)}`;
    case 'open-workloads':
      return `/workloads?${action.filter}`;
    case 'open-policies':
      return '/policies';
    case 'open-places':
      return '/places';
    case 'open-runbooks':
      return '/runbooks';
    default:
      return assertNever(action);
  }
}

/** An empty estate is not a safe one: it says so instead of counting nothing. */
function NothingYet() {
  return (
    <>
      <section className="lede" aria-label="Summary">
        <p>No workload is known yet, so nothing is protected.</p>
      </section>
      <div className="empty" data-standing>
        <p>
          Once a site is registered, every machine hangs here from the waterline by the age of what could be brought
          back.
        </p>
        <p className="t2">
          Sites cannot be registered in this version. The demo shows the product with a railway of 184 machines: npm run
          demo.
        </p>
      </div>
    </>
  );
}
