'use client';
/** Soundings: how much of its promise every workload has used. Land is the RPO. */
import { useRouter, useSearchParams } from 'next/navigation';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { clock, span, when } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { Glyph, StandingMark } from '@/ui/glyph';
import {
  bedPath,
  layoutSoundings,
  placeLabels,
  type Bar,
  type Layout,
  type Sounding,
} from '@/ui/watch/soundings-layout';

const H = 264;
const TOP = 19;
const FOOT = 27;
const RIGHT = 26;
const BLEED = 24;
const WORDS = { inside: 'Inside', closing: 'Closing', over: 'Over RPO' } as const;

export function Soundings({
  soundings,
  grouped,
  highlight,
}: {
  soundings: readonly Sounding[];
  grouped: boolean;
  highlight: ReadonlySet<number> | null;
}) {
  const router = useRouter();
  const search = useSearchParams();
  const { zone, nowMs } = useFrame();
  const [order, setOrder] = useState<'site' | 'longest'>('site');
  const [picked, setPicked] = useState<number | null>(null);
  const [width, setWidth] = useState(1232);
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const observer = new ResizeObserver(
      ([entry]) => entry && setWidth(Math.max(300, Math.floor(entry.contentRect.width))),
    );
    if (box.current) observer.observe(box.current);
    return () => observer.disconnect();
  }, []);
  const layout = useMemo(
    () => layoutSoundings(soundings, width - RIGHT, H - TOP - FOOT, order),
    [soundings, width, order],
  );
  const index = picked === null ? -1 : layout.bars.findIndex((b) => b.sounding.id === picked);
  const bar = layout.bars[index];
  const choose = (i: number): void =>
    setPicked(layout.bars[(i + layout.bars.length) % layout.bars.length]?.sounding.id ?? null);
  const open = (s: Sounding): void => {
    const at = search.get('at');
    const suffix = at ? `at=${at}` : '';
    if (s.members === 1) router.push(`/workloads/${s.id}${suffix ? `?${suffix}` : ''}`);
    else
      router.push(
        `/workloads?text=${encodeURIComponent(s.application)}&site=${encodeURIComponent(s.site)}${suffix ? `&${suffix}` : ''}`,
      );
  };
  const onKey = (event: KeyboardEvent): void => {
    const { bars } = layout;
    if (event.key === 'ArrowRight') choose(index + 1);
    else if (event.key === 'ArrowLeft') choose(index < 0 ? bars.length - 1 : index - 1);
    else if (event.key === 'ArrowDown' || event.key === 'ArrowUp')
      choose(nextTier(layout, index, event.key === 'ArrowDown' ? 1 : -1));
    else if (event.key === 'o') choose(nextOver(bars, index));
    else if (event.key === 'Enter' && bar) open(bar.sounding);
    else if (event.key === 't') router.push('/workloads');
    else if (event.key === 'Escape') setPicked(null);
    else return;
    event.preventDefault();
  };
  const onMove = (event: React.MouseEvent<SVGSVGElement>): void => {
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left;
    const nearest = layout.bars.reduce<Bar | null>(
      (best, b) => (!best || Math.abs(b.x - x) < Math.abs(best.x - x) ? b : best),
      null,
    );
    setPicked(nearest && Math.abs(nearest.x - x) < 12 ? nearest.sounding.id : null);
  };
  return (
    <figure aria-labelledby="soundings-title">
      <div className="fig-head">
        <h2 id="soundings-title">Soundings</h2>
        <span className="note">
          time since {grouped ? 'the worst workload’s' : 'each workload’s'} last usable point; the land is the RPO of
          its tier
        </span>
        <Legend />
        <div className="seg" role="group" aria-label="Order">
          <button type="button" aria-pressed={order === 'site'} onClick={() => setOrder('site')}>
            By site
          </button>
          <button type="button" aria-pressed={order === 'longest'} onClick={() => setOrder('longest')}>
            Longest first
          </button>
        </div>
      </div>
      <div ref={box} style={{ position: 'relative', marginTop: 3 }}>
        <svg
          width={width}
          height={H}
          viewBox={`0 0 ${width} ${H}`}
          tabIndex={0}
          role="application"
          data-soundings={layout.bars.length}
          aria-label={`Soundings: ${layout.bars.length} ${grouped ? 'groups' : 'workloads'}. Arrow keys move, Enter opens one, o goes to the next over its RPO, t shows the table.`}
          onKeyDown={onKey}
          onMouseMove={onMove}
          onMouseLeave={() => setPicked(null)}
          onClick={() => bar && open(bar.sounding)}
        >
          <Ground layout={layout} width={width} />
          <g>
            {layout.bars.map((b) => (
              <BarShape
                key={b.sounding.id}
                bar={b}
                dim={highlight !== null && !b.sounding.workloadIds.some((id) => highlight.has(id))}
                bed={layout.blocks[b.tierIndex]?.bed ?? 0}
              />
            ))}
          </g>
          <line x1={-BLEED} x2={width + BLEED} y1={TOP - 0.75} y2={TOP - 0.75} stroke="var(--ink)" strokeWidth={1.5} />
          <TierNames layout={layout} />
          {placeLabels(layout, width - RIGHT, TOP, H - 20, { over: span, at: (ms) => clock(ms, zone) }).map((label) => (
            <g
              key={`${label.x}/${label.y}`}
              transform={`translate(${label.x} ${label.y})`}
              style={{ color: `var(--${label.standing})` }}
            >
              <g transform="translate(0 -9.5) scale(.9)">
                <Glyph name={label.standing} />
              </g>
              <text x={15} fontSize={12.5} fontWeight={650} style={{ fill: `var(--${label.standing})` }}>
                {label.head}
              </text>
              <text
                x={15}
                y={15}
                fontSize={12}
                style={{ fill: 'var(--ink-2)', fontStyle: label.standing === 'closing' ? 'italic' : 'normal' }}
              >
                {label.tail}
              </text>
            </g>
          ))}
          {bar && (
            <g pointerEvents="none">
              <line x1={bar.x} x2={bar.x} y1={2} y2={H} stroke="var(--mark)" />
              <rect
                x={bar.x - bar.width / 2 - 2}
                y={TOP - 1.5}
                width={bar.width + 4}
                height={bar.height + 4}
                fill="none"
                stroke="var(--mark)"
                strokeWidth={2}
              />
            </g>
          )}
        </svg>
        {bar && <Card bar={bar} width={width} zone={zone} nowMs={nowMs} />}
        <div className="sr" aria-live="polite">
          {bar &&
            `${bar.sounding.label}, ${bar.sounding.application}, tier ${bar.sounding.tier}, ${bar.sounding.site}. ${WORDS[bar.sounding.standing]}. ${bar.sounding.exposureMs === null ? 'No usable point' : `${span(bar.sounding.exposureMs)} at risk`} of ${span(bar.sounding.rpoMs)}.`}
        </div>
      </div>
    </figure>
  );
}

function nextTier(layout: Layout, index: number, by: number): number {
  const count = layout.blocks.length;
  const tier = index < 0 ? 0 : ((layout.bars[index]?.tierIndex ?? 0) + by + count) % count;
  return layout.bars.findIndex((b) => b.tierIndex === tier);
}

function nextOver(bars: readonly Bar[], index: number): number {
  for (let i = 1; i <= bars.length; i++)
    if (bars[(index + i + bars.length) % bars.length]?.sounding.standing === 'over') return index + i;
  return index;
}

function Legend() {
  return (
    <div className="legend" aria-hidden="true">
      <span>
        <svg width="7" height="13">
          <rect width="5.4" height="13" fill="var(--inside-fill)" />
        </svg>
        proven
      </span>
      <span>
        <svg width="7" height="13">
          <rect x=".6" y=".6" width="4.8" height="11.8" fill="var(--sheet)" stroke="var(--inside)" strokeWidth="1.2" />
        </svg>
        unproven
      </span>
      <span className="s-closing">
        <Glyph name="closing" size={10} />
        closing, over within 2 h
      </span>
      <span className="s-over">
        <Glyph name="over" size={11} />
        over RPO
      </span>
    </div>
  );
}

function Ground({ layout, width }: { layout: Layout; width: number }) {
  const left = -BLEED;
  const right = width + BLEED;
  const close = (path: string) => `${path}L${right} ${H}L${left} ${H}Z`;
  const path = (share: number) => bedPath(layout.blocks, share, TOP, left, right);
  const last = layout.blocks.at(-1);
  if (!last) return null;
  return (
    <g>
      <rect x={left} y={TOP} width={right - left} height={H - TOP} fill="var(--sheet)" />
      <path d={close(path(0.5))} fill="var(--shoal-1)" />
      <path d={close(path(0.8))} fill="var(--shoal-2)" />
      <path d={close(path(1))} fill="var(--land)" />
      <path d={path(1)} fill="none" stroke="var(--bed)" strokeWidth={1.6} />
      {(
        [
          [0.5, '50%'],
          [0.8, '80%'],
          [1, 'RPO'],
        ] as const
      ).map(([share, text]) => (
        <text
          key={text}
          x={width - RIGHT + 4}
          y={TOP + last.bed * share - 5}
          fontSize={11.5}
          style={{ fill: 'var(--ink-2)' }}
          fontWeight={share === 1 ? 650 : 400}
        >
          {text}
        </text>
      ))}
    </g>
  );
}

function BarShape({ bar, dim, bed }: { bar: Bar; dim: boolean; bed: number }) {
  const { sounding: s, x, width: w, height: h } = bar;
  const fill = `var(--${s.standing}-fill)`;
  const line = `var(--${s.standing})`;
  const foot = TOP + h;
  const solid = bar.medianHeight ?? h;
  return (
    <g opacity={dim ? 0.18 : 1} data-standing={s.standing}>
      {bar.medianHeight !== null && <line x1={x} x2={x} y1={TOP} y2={foot} stroke={line} strokeWidth={1.2} />}
      {s.unproven ? (
        <rect
          x={x - w / 2 + 0.6}
          y={TOP - 1}
          width={Math.max(0.6, w - 1.2)}
          height={solid + 0.4}
          fill="var(--sheet)"
          stroke={line}
          strokeWidth={1.2}
        />
      ) : (
        <rect x={x - w / 2} y={TOP} width={w} height={solid} fill={fill} />
      )}
      {s.standing === 'closing' && (
        <>
          <path d={`M${x - w / 2 - 1.4} ${foot - 0.5}h${w + 2.8}L${x} ${foot + 5.5}z`} fill={line} />
          <line x1={x} x2={x} y1={foot + 7} y2={TOP + bed} stroke={line} strokeWidth={1.2} strokeDasharray="1.5 2.5" />
        </>
      )}
      {s.standing === 'over' && <rect x={x - w / 2 - 1.6} y={foot - 2.5} width={w + 3.2} height={2.5} fill={line} />}
      {bar.cut && (
        <path
          d={`M${x - w / 2 - 2} ${foot - 9}l${w + 4} -4M${x - w / 2 - 2} ${foot - 5}l${w + 4} -4`}
          stroke="var(--land)"
          strokeWidth={1.6}
        />
      )}
    </g>
  );
}

function TierNames({ layout }: { layout: Layout }) {
  return (
    <g>
      {layout.blocks.map((b, i) => {
        const room = (layout.blocks[i + 1]?.x0 ?? Infinity) - b.x0;
        return (
          <g key={b.tier}>
            <text x={b.x0} y={H - 9} fontSize={12.5}>
              <tspan fontWeight={680}>Tier {b.tier}</tspan>
              {room > 118 && (
                <tspan dx={8} style={{ fill: 'var(--land-ink)' }}>
                  RPO {span(b.rpoMs)}
                </tspan>
              )}
              {room > 220 && (
                <tspan dx={8} style={{ fill: 'var(--land-ink)' }}>
                  {b.workloads} workloads
                </tspan>
              )}
            </text>
            {b.sites.map((site, k) => {
              const space = (b.sites[k + 1]?.x0 ?? b.x1 + 14) - site.x0;
              const text = space > site.name.length * 6 + 4 ? site.name : space > 24 ? site.name.slice(0, 3) : '';
              return (
                <text key={`${site.name}${k}`} x={site.x0} y={TOP - 6.5} fontSize={11} style={{ fill: 'var(--ink-2)' }}>
                  {text}
                </text>
              );
            })}
          </g>
        );
      })}
    </g>
  );
}

function Card({ bar, width, zone, nowMs }: { bar: Bar; width: number; zone: string; nowMs: number }) {
  const s = bar.sounding;
  const left = s.exposureMs === null ? null : s.rpoMs - s.exposureMs;
  const x = bar.x + 14 + 236 > width ? bar.x - 14 - 236 : bar.x + 14;
  return (
    <div className="card" style={{ left: x, top: TOP + 14 }}>
      <h4>
        <span className="mono">{s.label}</span> <StandingMark standing={s.standing} />
      </h4>
      <div className="t2">
        {s.application}, tier {s.tier}, {s.site}
        {s.members > 1 && `, ${s.over} of ${s.members} over`}
      </div>
      <dl>
        <dt>Last usable point</dt>
        <dd>{s.takenMs === null ? 'none' : when(s.takenMs, zone, nowMs)}</dd>
        <dt>At risk</dt>
        <dd>
          <b>{s.exposureMs === null ? 'everything' : span(s.exposureMs)}</b> of {span(s.rpoMs)}
        </dd>
        {left !== null && (
          <>
            <dt>{left < 0 ? 'Over by' : 'Room left'}</dt>
            <dd>{span(Math.abs(left))}</dd>
          </>
        )}
        <dt>Last passed drill</dt>
        <dd>{s.provenMs === null ? 'never' : when(s.provenMs, zone, nowMs)}</dd>
      </dl>
    </div>
  );
}
