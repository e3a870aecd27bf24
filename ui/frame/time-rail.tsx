'use client';
/** The time rail: a week back to now, and the cursor that sets the moment which the whole page shows. */
import { usePathname, useRouter, useSearchParams } from 'next/navigation';
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Outlook } from '@/core/forecast/outlook';
import type { RailData } from '@/core/point/rail';
import { fromLocal, toLocal } from '@/core/time/zone';
import { clock, day, exact } from '@/ui/format';
import { useOutlook } from '@/ui/frame/forecast';
import { useFrame } from '@/ui/frame/frame-context';

const HOUR = 3_600_000;
const DAY = 86_400_000;
/** How far ahead the rail reaches. */
const AHEAD_MS = 2 * DAY;
const H = 108;
const X0 = 214;
const TOP = 27;
const BASE = 66;
/** Nearer to now than this means now. */
const SNAP_MS = 14 * 60_000;

export function TimeRail({ rail }: { rail: RailData }) {
  const { zone } = useFrame();
  const router = useRouter();
  const path = usePathname();
  const search = useSearchParams();
  const at = Number(search.get('at'));
  const shown = at > 0 && at < rail.toMs ? at : null;
  const [dragMs, setDragMs] = useState<number | null>(null);
  const [width, setWidth] = useState(1280);
  const box = useRef<HTMLElement>(null);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => entry && setWidth(Math.max(360, entry.contentRect.width)));
    if (box.current) observer.observe(box.current);
    return () => observer.disconnect();
  }, []);
  const current = dragMs ?? shown;
  useEffect(() => {
    document.documentElement.classList.toggle('asof', current !== null);
  }, [current]);
  const x1 = width - 24;
  const endMs = rail.toMs + AHEAD_MS;
  const x = (ms: number) => X0 + ((ms - rail.fromMs) / (endMs - rail.fromMs)) * (x1 - X0);
  const outlook = useOutlook();
  const go = (ms: number | null): void => {
    const next = new URLSearchParams(search);
    if (ms === null || rail.toMs - ms < SNAP_MS) next.delete('at');
    else next.set('at', String(Math.max(rail.fromMs, Math.round(ms / 300_000) * 300_000)));
    const query = next.toString();
    router.replace(query ? `${path}?${query}` : path, { scroll: false });
  };
  const step = (ms: number): void => go((shown ?? rail.toMs) + ms);
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (/INPUT|TEXTAREA|SELECT/.test((event.target as HTMLElement).tagName)) return;
      if (event.key === '[') step(-HOUR);
      else if (event.key === ']') step(HOUR);
      else if (event.key === 'n') go(null);
    };
    document.addEventListener('keydown', onKey);
    return () => document.removeEventListener('keydown', onKey);
  });
  const fromPointer = (event: React.PointerEvent<SVGSVGElement>): number => {
    const px = event.clientX - event.currentTarget.getBoundingClientRect().left;
    return Math.min(rail.toMs, Math.max(rail.fromMs, rail.fromMs + ((px - X0) / (x1 - X0)) * (endMs - rail.fromMs)));
  };
  const onKeyDown = (event: React.KeyboardEvent): void => {
    const by: Record<string, number> = {
      ArrowLeft: event.shiftKey ? -6 * HOUR : -HOUR,
      ArrowRight: event.shiftKey ? 6 * HOUR : HOUR,
      PageUp: -DAY,
      PageDown: DAY,
    };
    if (by[event.key] !== undefined) step(by[event.key] as number);
    else if (event.key === 'Home' || event.key === 'Escape') go(null);
    else return;
    event.preventDefault();
  };
  const cursor = current ?? rail.toMs;
  return (
    <footer id="rail" aria-label="Time rail" ref={box}>
      <div className="read">
        <div className="k">{current === null ? 'Showing' : 'Past'}</div>
        <div className="v" style={current === null ? {} : { color: 'var(--mark)' }} suppressHydrationWarning>
          {clock(cursor, zone)}
        </div>
        <div className="d" suppressHydrationWarning>
          {day(cursor, zone)}
          {current === null ? <b>, now</b> : ''}
        </div>
      </div>
      <svg
        width={width}
        height={H}
        role="slider"
        tabIndex={0}
        aria-label="As of: moves the whole page in time"
        aria-valuemin={rail.fromMs}
        aria-valuemax={rail.toMs}
        aria-valuenow={cursor}
        aria-valuetext={current === null ? 'now' : exact(current, zone)}
        onKeyDown={onKeyDown}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDragMs(fromPointer(event));
        }}
        onPointerMove={(event) => dragMs !== null && setDragMs(fromPointer(event))}
        onPointerUp={(event) => {
          go(fromPointer(event));
          setDragMs(null);
        }}
      >
        <RailPicture rail={rail} zone={zone} x={x} x1={x1} endMs={endMs} outlook={outlook} />
        <Cursor
          atX={x(cursor)}
          label={current === null ? 'now' : `${day(current, zone).slice(0, 6)} ${clock(current, zone)}`}
          now={current === null}
        />
      </svg>
      <div className="step">
        <button type="button" className="ib" aria-label="One hour back" onClick={() => step(-HOUR)}>
          <svg width="9" height="9" viewBox="0 0 9 9">
            <path d="M7 .5v8L1.5 4.5z" fill="currentColor" />
          </svg>
        </button>
        <button
          type="button"
          className="ib"
          aria-label="One hour forward"
          disabled={shown === null}
          onClick={() => step(HOUR)}
        >
          <svg width="9" height="9" viewBox="0 0 9 9">
            <path d="M2 .5v8l5.5-4z" fill="currentColor" />
          </svg>
        </button>
        {shown !== null && (
          <button type="button" className="ib tx" onClick={() => go(null)}>
            Now
          </button>
        )}
      </div>
    </footer>
  );
}

function RailPicture({
  rail,
  zone,
  x,
  x1,
  endMs,
  outlook,
}: {
  rail: RailData;
  zone: string;
  x: (ms: number) => number;
  x1: number;
  endMs: number;
  outlook: Outlook | null;
}) {
  const days = useMemo(() => midnights(rail.fromMs, endMs, zone), [rail.fromMs, endMs, zone]);
  const most = Math.max(5, ...rail.over, ...(outlook?.over ?? []));
  const y = (n: number) => BASE - ((BASE - TOP) * n) / most;
  const curve = rail.over
    .map(
      (n, i) =>
        `L${x(rail.fromMs + i * rail.binMs).toFixed(1)} ${y(n).toFixed(1)}H${Math.min(x(rail.toMs), x(rail.fromMs + (i + 1) * rail.binMs)).toFixed(1)}`,
    )
    .join('');
  const peak = Math.max(...rail.over);
  const peakAt = rail.over.indexOf(peak);
  return (
    <g>
      <rect
        x={x(rail.toMs)}
        y={6}
        width={Math.max(0, x1 - x(rail.toMs))}
        height={H}
        fill="var(--shoal-1)"
        opacity={0.6}
      />
      {days.map((ms, i) => {
        const a = Math.max(X0, x(ms));
        const b = Math.min(x1, x(days[i + 1] ?? endMs));
        return (
          <g key={ms}>
            {i % 2 === 0 && <rect x={a} y={0} width={Math.max(0, b - a)} height={6} fill="var(--solid)" />}
            {b - a > 46 && (
              <text x={a + 5} y={20} fontSize={12} style={{ fill: 'var(--ink-2)' }}>
                {day(ms + HOUR, zone).slice(0, 6)}
              </text>
            )}
            {a > X0 && <line x1={a} x2={a} y1={6} y2={H} stroke="var(--hair)" />}
          </g>
        );
      })}
      <line x1={X0} x2={x1} y1={6} y2={6} stroke="var(--ink)" />
      {outlook && <Ahead outlook={outlook} fromMs={rail.toMs} endMs={endMs} x={x} y={y} />}
      <path d={`M${X0} ${BASE}${curve}V${BASE}Z`} fill="var(--over-fill)" />
      <line x1={X0} x2={x1} y1={BASE + 0.5} y2={BASE + 0.5} stroke="var(--ink)" />
      {peak > 0 && (
        <text
          x={Math.min(x1 - 24, x(rail.fromMs + (peakAt + 1) * rail.binMs) + 5)}
          y={Math.max(34, y(peak) + 8)}
          fontSize={12}
          fontWeight={650}
          style={{ fill: 'var(--over)' }}
        >
          {peak}
        </text>
      )}
      {rail.failed.map((f) => {
        const height = Math.min(10, 3 + Math.log2(f.runs) * 1.5);
        return (
          <line
            key={f.hourMs}
            x1={x(f.hourMs + HOUR / 2)}
            x2={x(f.hourMs + HOUR / 2)}
            y1={83}
            y2={83 - height}
            stroke="var(--over)"
            strokeWidth={1.4}
          />
        );
      })}
      {rail.drills.map((d) => (
        <g
          key={d.id}
          transform={`translate(${x(d.atMs) - 6} 89)`}
          style={{
            color: d.outcome === 'passed' ? 'var(--proof)' : d.outcome === 'failed' ? 'var(--over)' : 'var(--ink)',
          }}
        >
          <path
            d="M6 .2 11.8 6 6 11.8.2 6z"
            fill={d.outcome === 'passed' ? 'currentColor' : 'var(--paper)'}
            stroke="currentColor"
          />
          {d.outcome === 'failed' && (
            <path d="M4.2 4.2 7.8 7.8M7.8 4.2 4.2 7.8" stroke="currentColor" strokeWidth={1.4} />
          )}
          <title>{`${d.name}: ${d.outcome}, ${exact(d.atMs, zone)}`}</title>
        </g>
      ))}
      {(
        [
          ['Over RPO', BASE],
          ['Failed runs', 83],
          ['Drills', 99],
        ] as const
      ).map(([label, at]) => (
        <text key={label} x={X0 - 10} y={at} textAnchor="end" fontSize={12} style={{ fill: 'var(--ink-2)' }}>
          {label}
        </text>
      ))}
    </g>
  );
}

/** The curve ahead, hatched: the schedule played forward, if nothing changes. */
function Ahead({
  outlook,
  fromMs,
  endMs,
  x,
  y,
}: {
  outlook: Outlook;
  fromMs: number;
  endMs: number;
  x: (ms: number) => number;
  y: (n: number) => number;
}) {
  const curve = outlook.over
    .map((n, i) => {
      const a = Math.max(fromMs, outlook.fromMs + i * outlook.binMs);
      const b = Math.min(endMs, outlook.fromMs + (i + 1) * outlook.binMs);
      return b > a ? `L${x(a).toFixed(1)} ${y(n).toFixed(1)}H${x(b).toFixed(1)}` : '';
    })
    .join('');
  const peak = Math.max(0, ...outlook.over);
  return (
    <g data-forecast={peak}>
      <defs>
        <pattern id="ahead" width="4" height="4" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="4" height="4" fill="var(--paper)" />
          <line x1="0" x2="0" y1="0" y2="4" stroke="var(--over-fill)" strokeWidth="2.4" />
        </pattern>
      </defs>
      <path d={`M${x(fromMs)} ${BASE}${curve}V${BASE}Z`} fill="url(#ahead)" stroke="var(--over)" strokeWidth={0.8} />
      <title>{`If nothing changes, at most ${peak} workloads over their RPO at one time within two days.`}</title>
    </g>
  );
}

/** Local midnights in the span, with the one before it first. */
function midnights(fromMs: number, toMs: number, zone: string): number[] {
  const t = toLocal(zone, fromMs);
  const found: number[] = [];
  for (let i = 0; ; i++) {
    const at = fromLocal(zone, Date.UTC(t.year, t.month - 1, t.day + i));
    if (at >= toMs) return found;
    found.push(at);
  }
}

function Cursor({ atX, label, now }: { atX: number; label: string; now: boolean }) {
  const width = label.length * 6.6 + 18;
  const colour = now ? 'var(--solid)' : 'var(--mark)';
  return (
    <g style={{ cursor: 'ew-resize' }}>
      <line x1={atX} x2={atX} y1={0} y2={H} stroke={colour} strokeWidth={2} />
      <rect x={now ? atX - width : atX} y={7} width={width} height={18} fill={colour} />
      <text
        x={now ? atX - width + 9 : atX + 9}
        y={20.5}
        fontSize={12}
        fontWeight={650}
        style={{ fill: now ? 'var(--on-solid)' : 'var(--on-mark)' }}
      >
        {label}
      </text>
    </g>
  );
}
