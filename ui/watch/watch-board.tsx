'use client';
import Link from 'next/link';
import { useSearchParams } from 'next/navigation';
import { useState } from 'react';
import { exact, when } from '@/ui/format';
import { ActButton } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';
import { Glyph } from '@/ui/glyph';
import { SiteMap, type MapLink, type MapSite } from '@/ui/watch/site-map';
import { Soundings } from '@/ui/watch/soundings';
import { Upcoming } from '@/ui/watch/upcoming';
import type { Sounding } from '@/ui/watch/soundings-layout';

export interface AttentionRow {
  readonly key: string;
  readonly state: 'over' | 'closing' | 'inside' | 'unproven';
  readonly count: string;
  readonly title: string;
  readonly sinceMs: number | null;
  readonly effect: string;
  readonly workloadIds: readonly number[];
  readonly href: string;
  readonly label: string;
  /** Who sees to it; null: nobody yet, absent: there is nothing to take up. */
  readonly takenBy?: string | null;
}

export function WatchBoard({
  soundings,
  grouped,
  attention,
  sites,
  links,
}: {
  soundings: readonly Sounding[];
  grouped: boolean;
  attention: readonly AttentionRow[];
  sites: readonly MapSite[];
  links: readonly MapLink[];
}) {
  const search = useSearchParams();
  const [hovered, setHovered] = useState<ReadonlySet<number> | null>(null);
  return (
    <>
      <Soundings soundings={soundings} grouped={grouped} highlight={hovered} />
      <div className="lower">
        <section className="att" aria-labelledby="attention-title">
          <div className="att-head">
            <h2 id="attention-title">Attention</h2>
            <span className="t2">
              {attention.length} {attention.length === 1 ? 'cause' : 'causes'}, most urgent first
            </span>
          </div>
          <ol>
            {attention.map((row, i) => (
              <AttentionItem key={row.key} row={row} primary={i === 0} onHover={setHovered} />
            ))}
            {attention.length === 0 && (
              <li style={{ gridTemplateColumns: '1fr' }}>
                <span className="t2">Nothing needs a person at this moment.</span>
              </li>
            )}
          </ol>
          {!search.get('at') && <Upcoming />}
        </section>
        <section aria-labelledby="map-title">
          <div className="att-head">
            <h2 id="map-title">Sites and links</h2>
          </div>
          <SiteMap sites={sites} links={links} />
        </section>
      </div>
    </>
  );
}

function AttentionItem({
  row,
  primary,
  onHover,
}: {
  row: AttentionRow;
  primary: boolean;
  onHover: (ids: ReadonlySet<number> | null) => void;
}) {
  const { zone, nowMs } = useFrame();
  const at = useSearchParams().get('at');
  const href = at ? `${row.href}${row.href.includes('?') ? '&' : '?'}at=${at}` : row.href;
  const glyph = row.state === 'inside' ? 'failed' : row.state;
  return (
    <li onMouseEnter={() => onHover(new Set(row.workloadIds))} onMouseLeave={() => onHover(null)} data-cause={row.key}>
      <span className={`st ${row.state === 'over' ? 's-over' : row.state === 'closing' ? 's-closing' : ''}`}>
        <Glyph name={glyph} />
        {row.count}
      </span>
      <div className="c">
        <b title={row.title}>
          {row.title}
          {row.sinceMs !== null && (
            <span
              style={{ display: 'inline', font: 'inherit' }}
              title={exact(row.sinceMs, zone)}
            >{` since ${when(row.sinceMs, zone, nowMs)}`}</span>
          )}
        </b>
        <span title={row.effect}>{row.effect}</span>
      </div>
      <TakeUp row={row} canAct={at === null} />
      <Link className={`btn ${primary ? 'primary' : ''}`} href={href}>
        {row.label}
      </Link>
    </li>
  );
}

/** Saying that one sees to a cause: others are not called then. */
function TakeUp({ row, canAct }: { row: AttentionRow; canAct: boolean }) {
  const { role } = useFrame();
  if (row.takenBy) return <span className="t2">{row.takenBy} sees to it</span>;
  if (row.takenBy === undefined || !canAct || role === 'viewer') return <span />;
  return (
    <ActButton command="take-up-cause" body={{ causeKey: row.key }} kind="quiet" small>
      I see to it
    </ActButton>
  );
}
