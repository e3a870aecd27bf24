'use client';
/** Thousands of workloads: only the rows in view are drawn, windows of them are fetched as one scrolls. */
import { useVirtualizer } from '@tanstack/react-virtual';
import Link from 'next/link';
import { usePathname, useRouter, useSearchParams } from 'next/navigation';
import { useEffect, useRef, useState } from 'react';
import { exact, span, when } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { Glyph, StandingMark } from '@/ui/glyph';

export interface TableRow {
  readonly id: number;
  readonly name: string;
  readonly application: string;
  readonly tier: number;
  readonly site: string;
  readonly standing: 'inside' | 'closing' | 'over';
  readonly exposureMs: number | null;
  readonly rpoMs: number;
  readonly takenMs: number | null;
  readonly worstDayMs: number | null;
  readonly worstWeekMs: number | null;
  readonly policy: string | null;
  readonly inStep: boolean;
  readonly places: readonly string[];
  readonly unproven: boolean;
  readonly provenMs: number | null;
}
interface Page {
  readonly total: number;
  readonly offset: number;
  readonly window: number;
  readonly rows: readonly TableRow[];
}

const COLUMNS = '86px 112px 140px 30px 86px 106px 46px 70px 72px 130px minmax(80px,1fr) 90px';
const HEADS: ReadonlyArray<readonly [string, string | null, boolean]> = [
  ['Standing', 'used', false],
  ['Workload', 'name', false],
  ['Application', 'application', false],
  ['Tier', 'tier', false],
  ['Site', 'site', false],
  ['At risk', 'exposure', true],
  ['RPO', null, true],
  ['Worst 24 h', null, true],
  ['Worst 7 d', null, true],
  ['Policy', 'policy', false],
  ['Points at', null, false],
  ['Last proof', 'proven', true],
];

export function WorkloadTable({ first, query, asOfMs }: { first: Page; query: string; asOfMs: number }) {
  const box = useRef<HTMLDivElement>(null);
  const [pages, setPages] = useState<ReadonlyMap<number, readonly TableRow[]>>(new Map([[0, first.rows]]));
  const asked = useRef(new Set<string>());
  useEffect(() => {
    asked.current.clear();
    setPages(new Map([[0, first.rows]]));
  }, [first]);
  const virtual = useVirtualizer({
    count: first.total,
    getScrollElement: () => box.current,
    estimateSize: () => 32,
    overscan: 12,
    initialRect: { width: 1232, height: 480 },
  });
  const items = virtual.getVirtualItems();
  const { window } = first;
  const from = Math.floor((items[0]?.index ?? 0) / window) * window;
  const to = Math.floor((items.at(-1)?.index ?? 0) / window) * window;
  useEffect(() => {
    for (let offset = from; offset <= to; offset += window) {
      const key = `${query}/${offset}`;
      if (pages.has(offset) || asked.current.has(key)) continue;
      asked.current.add(key);
      void fetch(`/api/workloads?${query}&offset=${offset}`)
        .then((answer) => answer.json() as Promise<Page>)
        .then((page) => setPages((known) => new Map(known).set(offset, page.rows)));
    }
  }, [from, to, window, query, pages]);
  if (first.total === 0)
    return (
      <div className="empty">
        <p>No workload fits these filters.</p>
        <p className="t2">Take one filter back, or choose “Show all”.</p>
      </div>
    );
  return (
    <div>
      <Heads />
      <div
        ref={box}
        className="vscroll"
        style={{ height: 'calc(100vh - 300px)', minHeight: 240 }}
        tabIndex={0}
        role="list"
        aria-label="Workloads"
      >
        <div role="presentation" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {items.map((item) => {
            const row = pages.get(Math.floor(item.index / window) * window)?.[item.index % window];
            return (
              <div
                key={item.key}
                style={{ position: 'absolute', top: 0, left: 0, right: 0, transform: `translateY(${item.start}px)` }}
                role="listitem"
                aria-posinset={item.index + 1}
                aria-setsize={first.total}
              >
                {row ? <Row row={row} asOfMs={asOfMs} /> : <div className="vrow t3">…</div>}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function Heads() {
  const router = useRouter();
  const path = usePathname();
  const search = useSearchParams();
  const sort = search.get('sort') ?? '-used';
  const toggle = (key: string): void => {
    const next = new URLSearchParams(search);
    next.set('sort', sort === key ? `-${key}` : key);
    router.replace(`${path}?${next}`, { scroll: false });
  };
  return (
    <div className="vhead" style={{ gridTemplateColumns: COLUMNS }}>
      {HEADS.map(([name, key, right]) => {
        const active = key !== null && sort.replace('-', '') === key;
        return (
          <div key={name} className={right ? 'r' : ''}>
            {key ? (
              <button type="button" aria-pressed={active} onClick={() => toggle(key)}>
                {name}
                {active ? (sort.startsWith('-') ? ' ↓' : ' ↑') : ''}
              </button>
            ) : (
              name
            )}
          </div>
        );
      })}
    </div>
  );
}

function Row({ row, asOfMs }: { row: TableRow; asOfMs: number }) {
  const { zone } = useFrame();
  const at = useSearchParams().get('at');
  const worst = (ms: number | null) => (ms === null ? 'no point' : span(ms));
  const used = row.exposureMs === null ? null : row.exposureMs / row.rpoMs;
  return (
    <Link
      className="vrow"
      href={`/workloads/${row.id}${at ? `?at=${at}` : ''}`}
      style={{ gridTemplateColumns: COLUMNS }}
    >
      <StandingMark standing={row.standing} />
      <b>{row.name}</b>
      <span>{row.application}</span>
      <span>{row.tier}</span>
      <span>{row.site}</span>
      <span
        className="r"
        title={row.takenMs === null ? 'no usable point' : `last usable point taken ${exact(row.takenMs, zone)}`}
      >
        <b className={row.standing === 'over' ? 's-over' : ''}>
          {row.exposureMs === null ? 'all' : span(row.exposureMs)}
        </b>
        {used !== null && <span className="t3"> {Math.round(used * 100)}%</span>}
      </span>
      <span className="r">{span(row.rpoMs)}</span>
      <span className={`r ${row.worstDayMs === null || row.worstDayMs > row.rpoMs ? 's-over' : ''}`}>
        {worst(row.worstDayMs)}
      </span>
      <span className={`r ${row.worstWeekMs === null || row.worstWeekMs > row.rpoMs ? 's-over' : ''}`}>
        {worst(row.worstWeekMs)}
      </span>
      <span>
        {row.policy ?? (
          <i style={{ fontStyle: 'normal' }} className="s-over">
            enrolled nowhere
          </i>
        )}
        {!row.inStep && <span className="t3">, out of step</span>}
      </span>
      <span className="t2">{row.places.join(', ') || 'nowhere'}</span>
      <span className="r">
        {row.unproven && <Glyph name="unproven" size={10} />}{' '}
        {row.provenMs === null ? 'never' : when(row.provenMs, zone, asOfMs)}
      </span>
    </Link>
  );
}
