import type { Metadata } from 'next';
import Link from 'next/link';
import { connected, momentOf, type SearchParams } from '@/app/context';
import { groupBy } from '@/core/group-by';
import { DAY } from '@/core/units';
import { displayZone } from '@/queries/connect';
import { linksView } from '@/queries/links';
import { pausesAt } from '@/queries/pauses';
import { placesView, siteList } from '@/queries/places';
import { bytes, exact, span, when } from '@/ui/format';
import { AsOfBand } from '@/ui/frame/as-of-band';
import { Gauge } from '@/ui/gauge';
import { PauseButton, PausesInForce } from '@/ui/pauses';
import { LinkTable } from '@/ui/places/link-throttles';
import { UnknownCopies } from '@/ui/places/unknown-copies';

export const metadata: Metadata = { title: 'Places' };

const YEAR_MS = 365 * DAY;
const WORDS = { unknown: 'not known here', missing: 'missing at its place', snapshot: 'snapshot that stays' } as const;

export default async function PlacesPage({ searchParams }: { searchParams: SearchParams }) {
  const { db } = connected();
  const { asOfMs, isNow } = await momentOf(searchParams);
  const [{ places, findings, found }, links, pauses, sites, zone] = await Promise.all([
    placesView(db, asOfMs),
    linksView(db, asOfMs),
    pausesAt(db, asOfMs),
    siteList(db),
    displayZone(db),
  ]);
  const open = places.filter((place) => place.lookedMs === null).length;
  const unknown = groupBy(
    findings.filter((f) => f.kind === 'unknown' && f.placeKind !== null),
    (f) => `${f.placeKind}:${f.placeId}`,
  );
  return (
    <>
      {!isNow && <AsOfBand />}
      <h1 style={{ padding: '12px 0 6px' }}>Places</h1>
      <p className="plain" style={{ paddingBottom: 8 }}>
        {found === 0
          ? open
            ? `No difference found; ${open} of ${places.length} places are not compared yet.`
            : 'What lies at each place is what should lie there.'
          : `${found} ${found === 1 ? 'difference' : 'differences'} between what lies there and what should.`}
      </p>
      <table>
        <thead>
          <tr>
            <th>Place</th>
            <th>Site</th>
            <th className="r">Points</th>
            <th className="r">Bad</th>
            <th className="r">Used</th>
            <th style={{ paddingLeft: 12 }}>of its capacity</th>
            <th className="r" title="By points that went in the last 24 h: what no other copy there needed">
              Freed in 24 h
            </th>
            <th style={{ paddingLeft: 24 }}>Full</th>
            <th>Immutable for</th>
            <th>Compared</th>
          </tr>
        </thead>
        <tbody>
          {places.map((p) => (
            <tr key={`${p.kind}${p.id}`}>
              <td>
                {p.name} <span className="t2">{p.kind}</span>
              </td>
              <td>{p.site}</td>
              <td className="r">{p.points}</td>
              <td className="r">{p.badPoints > 0 ? <b className="s-over">{p.badPoints}</b> : '0'}</td>
              <td className="r">{p.usedBytes === null ? '' : bytes(p.usedBytes)}</td>
              <td style={{ paddingLeft: 12 }}>
                {p.usedBytes !== null && <Gauge used={p.usedBytes / p.capacityBytes} width={110} />}
              </td>
              <td className="r">{bytes(p.freedBytes)}</td>
              <td style={{ paddingLeft: 24 }} title={p.fullMs === null ? undefined : exact(p.fullMs, zone)}>
                {p.usedBytes === null ? (
                  ''
                ) : p.fullMs === null || p.fullMs - asOfMs > YEAR_MS ? (
                  <span className="t2">not within a year</span>
                ) : (
                  `in ${span(p.fullMs - asOfMs)}`
                )}
              </td>
              <td>{p.immutableMs > 0 ? span(p.immutableMs) : ''}</td>
              <td title={p.lookedMs === null ? undefined : exact(p.lookedMs, zone)}>
                {p.lookedMs === null ? (
                  <span className="t2">not yet</span>
                ) : p.failure ? (
                  <span className="s-over">{p.failure}</span>
                ) : (
                  when(p.lookedMs, zone, asOfMs)
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <h2 style={{ padding: '18px 0 6px' }}>Links</h2>
      <LinkTable links={links} canAct={isNow} />
      <h2 style={{ padding: '18px 0 6px' }}>Pauses of sites</h2>
      {sites.map((site) => (
        <div key={site.id} className="flex flex-wrap items-center gap-2" style={{ padding: '2px 0' }}>
          <span style={{ width: 130 }}>{site.name}</span>
          <PausesInForce pauses={pauses.filter((p) => p.scope === 'site' && p.scopeId === site.id)} canAct={isNow} />
          {isNow && <PauseButton scope="site" scopeId={site.id} />}
        </div>
      ))}
      <h2 style={{ padding: '18px 0 6px' }}>Reconciliation</h2>
      {isNow &&
        [...unknown.values()].map((list) => {
          const [first] = list;
          return (
            first && (
              <UnknownCopies
                key={`${first.placeKind}${first.placeId}`}
                place={first.place ?? ''}
                placeKind={first.placeKind ?? ''}
                placeId={first.placeId ?? 0}
                count={list.length}
              />
            )
          );
        })}
      {findings.length === 0 ? (
        <p className="t2">
          Every place is compared with the points it should hold, one an hour. Leftovers of our own runs are removed by
          themselves; anything else would be listed here.
        </p>
      ) : (
        <table>
          <thead>
            <tr>
              <th>Found</th>
              <th>What</th>
              <th>Place</th>
              <th>Workload</th>
              <th>Taken</th>
              <th>Key</th>
              <th>Detail</th>
            </tr>
          </thead>
          <tbody>
            {findings.map((f) => (
              <tr key={f.id}>
                <td title={exact(f.sinceMs, zone)}>{when(f.sinceMs, zone, asOfMs)}</td>
                <td>{WORDS[f.kind]}</td>
                <td>{f.place ?? 'working disks'}</td>
                <td>{f.workloadId === null ? '' : <Link href={`/workloads/${f.workloadId}`}>{f.workload}</Link>}</td>
                <td>{f.takenMs === null ? '' : when(f.takenMs, zone, asOfMs)}</td>
                <td className="num">{f.copyKey}</td>
                <td>{f.detail}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
