'use client';
/** Recovery points by place over a time axis that thins with age, and the one picked with its reason. */
import { useMemo, useState, type KeyboardEvent } from 'react';
import type { Consistency } from '@/core/protect/policy';
import { DAY, HOUR } from '@/core/units';
import { useAct } from '@/ui/act';
import { CONSISTENCY_WORDS } from '@/ui/consistency-words';
import { bytes, exact, span, when } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { Glyph } from '@/ui/glyph';
import { STRETCHES, xOf } from '@/ui/workloads/point-axis';

export interface BoardPoint {
  readonly id: number;
  readonly lane: string;
  readonly place: string;
  readonly site: string;
  readonly takenMs: number;
  readonly usableMs: number;
  readonly consistency: Consistency;
  readonly digest: string;
  readonly storedBytes: number;
  readonly why: string;
  readonly untilMs: number | null;
  readonly held: { readonly reason: string; readonly by: string } | null;
  readonly immutableUntilMs: number | null;
  readonly bad: 'rotten' | 'missing' | null;
  readonly verifiedMs: number | null;
  /** Workloads that were captured at the same instant with it. */
  readonly together: number;
}
/** What a stream's journal holds besides its points: every second of these. */
export interface BoardJournal {
  readonly lane: string;
  readonly place: string;
  readonly spans: ReadonlyArray<{ readonly fromMs: number; readonly toMs: number }>;
}

/** Of a point, by what it was taken with. */
const HEIGHTS: Readonly<Record<Consistency, number>> = { crash: 13, filesystem: 16, application: 20 };
const LEFT = 176;
const ROW = 38;
const TOP = 26;
const WIDTH = 1232;
export function PointBoard({
  points,
  journals,
  rpoMs,
  asOfMs,
  canHold,
}: {
  points: readonly BoardPoint[];
  journals: readonly BoardJournal[];
  rpoMs: number;
  asOfMs: number;
  canHold: boolean;
}) {
  const { zone } = useFrame();
  const [pickedId, setPickedId] = useState<number | null>(null);
  const rows = useMemo(() => {
    const keys = [...new Set(points.map((p) => `${p.site}/${p.place}/${p.lane}`))].sort();
    return keys.map((key) => ({ key, points: points.filter((p) => `${p.site}/${p.place}/${p.lane}` === key) }));
  }, [points]);
  const picked = points.find((p) => p.id === pickedId) ?? points[0];
  if (!picked)
    return (
      <div className="empty section">
        <p>No recovery point is here.</p>
        <p className="t2">Once a lane has run, its points stand here by place, each with the reason why it is kept.</p>
      </div>
    );
  const height = TOP + rows.length * ROW + 8;
  const onKey = (event: KeyboardEvent): void => {
    const index = points.indexOf(picked);
    const next = event.key === 'ArrowLeft' ? index + 1 : event.key === 'ArrowRight' ? index - 1 : -1;
    if (points[next]) {
      setPickedId(points[next].id);
      event.preventDefault();
    }
  };
  return (
    <figure aria-labelledby="points-title">
      <div className="fig-head">
        <h2 id="points-title">Recovery points</h2>
        <span className="note">{points.length} points; where each is and how they thin with age</span>
        <div className="legend" aria-hidden="true">
          <span>tall: with guest freeze</span>
          <span>middle: file systems flushed</span>
          <span>short: neither</span>
          <span>
            <Glyph name="lock" size={10} /> held or immutable
          </span>
        </div>
      </div>
      <svg
        width="100%"
        viewBox={`0 0 ${WIDTH} ${height}`}
        tabIndex={0}
        role="application"
        aria-label={`${points.length} recovery points. Left and right move between them.`}
        onKeyDown={onKey}
      >
        {STRETCHES.map((s) => (
          <g key={s.name}>
            <rect x={s.x0} y={TOP} width={s.x1 - s.x0} height={rows.length * ROW} fill="var(--sheet)" />
            <text x={s.x0} y={12} fontSize={12} fontWeight={650}>
              {s.name}
            </text>
            <rect x={s.x0 + 0.5} y={TOP - 7} width={s.x1 - s.x0 - 1} height={6.5} fill="none" stroke="var(--ink)" />
            <rect x={s.x0} y={TOP - 7} width={(s.x1 - s.x0) / 2} height={7} fill="var(--solid)" />
          </g>
        ))}
        {rpoMs <= 90 * DAY && (
          <>
            <rect
              x={STRETCHES[3].x0}
              y={TOP}
              width={Math.max(0, (rpoMs < 2 * HOUR ? xOf(rpoMs) : STRETCHES[3].x0) - STRETCHES[3].x0)}
              height={rows.length * ROW}
              fill="var(--land)"
            />
            <path d={`M${xOf(rpoMs)} ${TOP}v${rows.length * ROW}`} stroke="var(--bed)" strokeWidth={1.6} />
            <text x={xOf(rpoMs) - 3} y={12} fontSize={12} textAnchor="end" style={{ fill: 'var(--land-ink)' }}>
              RPO
            </text>
          </>
        )}
        {rows.map((row, i) => {
          const y = TOP + i * ROW;
          const newest = row.points[0] as BoardPoint;
          return (
            <g key={row.key}>
              <text x={0} y={y + 16} fontSize={14} fontWeight={640}>
                {newest.site}
              </text>
              <text
                x={LEFT - 14}
                y={y + 16}
                fontSize={12}
                className="mono"
                textAnchor="end"
                style={{ fill: 'var(--ink-2)' }}
              >
                {newest.place}
              </text>
              <text x={0} y={y + 31} fontSize={12} style={{ fill: 'var(--ink-2)' }}>
                {row.points.length} by {newest.lane}
              </text>
              <text x={LEFT - 14} y={y + 31} fontSize={12} textAnchor="end" style={{ fill: 'var(--ink-2)' }}>
                {span(asOfMs - newest.takenMs)} old
              </text>
              <line x1={0} x2={WIDTH} y1={y + ROW - 0.5} y2={y + ROW - 0.5} stroke="var(--hair)" />
              {journals
                .filter((j) => j.lane === newest.lane && j.place === newest.place)
                .flatMap((j) => j.spans)
                .map(({ fromMs, toMs }) => (
                  <rect
                    key={fromMs}
                    x={xOf(asOfMs - fromMs)}
                    y={y + ROW - 7}
                    width={Math.max(1, xOf(asOfMs - toMs) - xOf(asOfMs - fromMs))}
                    height={3}
                    fill="var(--inside-fill)"
                  >
                    <title>Every second of this can be had</title>
                  </rect>
                ))}
              {row.points.map((p) => {
                const tall = HEIGHTS[p.consistency];
                const chosen = p.id === picked.id;
                return (
                  <g key={p.id} onClick={() => setPickedId(p.id)} style={{ cursor: 'pointer' }}>
                    <rect x={xOf(asOfMs - p.takenMs) - 4} y={y + 4} width={8} height={ROW - 8} fill="transparent" />
                    <rect
                      x={xOf(asOfMs - p.takenMs) - 1.3}
                      y={y + ROW - 8 - tall}
                      width={2.6}
                      height={tall}
                      fill={p.bad ? 'none' : chosen ? 'var(--mark)' : 'var(--inside-fill)'}
                      stroke={p.bad ? 'var(--over)' : 'none'}
                    />
                    {p.held && (
                      <rect x={xOf(asOfMs - p.takenMs) - 2} y={y + 4} width={4} height={4} fill="var(--ink)" />
                    )}
                    {chosen && (
                      <rect
                        x={xOf(asOfMs - p.takenMs) - 4}
                        y={y + ROW - 12 - tall}
                        width={8}
                        height={tall + 7}
                        fill="none"
                        stroke="var(--mark)"
                        strokeWidth={1.6}
                      />
                    )}
                  </g>
                );
              })}
            </g>
          );
        })}
      </svg>
      <Picked key={picked.id} point={picked} zone={zone} asOfMs={asOfMs} canHold={canHold} />
    </figure>
  );
}

function Picked({
  point: p,
  zone,
  asOfMs,
  canHold,
}: {
  point: BoardPoint;
  zone: string;
  asOfMs: number;
  canHold: boolean;
}) {
  const { role } = useFrame();
  const act = useAct();
  const [reason, setReason] = useState('');
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState('');
  const [trouble, setTrouble] = useState('');
  const command = p.held ? 'release-hold' : 'hold-point';
  const may = canHold && role !== 'viewer' && (!p.held || role === 'administrator');
  const send = async (): Promise<void> => {
    const result = await act(command, { pointId: p.id, reason });
    setTrouble(result.ok ? '' : `${result.refusal.title} ${result.refusal.remedy}`);
    setSaid(result.ok ? (p.held ? 'Released.' : 'Held until somebody releases it.') : '');
    if (result.ok) setOpen(false);
  };
  const goes = p.held
    ? 'stays until released'
    : p.untilMs === null
      ? 'stays until a newer one replaces it'
      : `goes ${when(p.untilMs, zone, asOfMs)}`;
  return (
    <div className="picked" style={{ height: 'auto', padding: '5px 24px', flexWrap: 'wrap' }}>
      <span className="mk" title={exact(p.takenMs, zone)}>
        taken {when(p.takenMs, zone, asOfMs)}
      </span>
      <span title={exact(p.usableMs, zone)}>usable after {span(p.usableMs - p.takenMs)}</span>
      <span>
        {p.why}; {goes}
      </span>
      {p.together > 0 && (
        <span>
          at one instant with {p.together} {p.together === 1 ? 'other' : 'others'}
        </span>
      )}
      {p.bad ? (
        <span className="s-over">
          {p.bad === 'rotten' ? 'read back wrong: does not count' : 'missing at its place: does not count'}
        </span>
      ) : (
        p.verifiedMs !== null && p.verifiedMs <= asOfMs && <span>read back {when(p.verifiedMs, zone, asOfMs)}</span>
      )}
      {p.immutableUntilMs !== null && p.immutableUntilMs > asOfMs && (
        <span>immutable until {when(p.immutableUntilMs, zone, asOfMs)}</span>
      )}
      {p.held && (
        <span>
          held by {p.held.by}: {p.held.reason}
        </span>
      )}
      <span className="t2">
        {bytes(p.storedBytes)} stored, {CONSISTENCY_WORDS[p.consistency]}
      </span>
      <span className="t2 mono" title={`SHA-256 ${p.digest}`}>
        {p.digest.slice(0, 12)}
      </span>
      <span className="sp">
        {said && <span role="status">{said}</span>}
        {trouble && (
          <span className="err" role="alert">
            {trouble}
          </span>
        )}
        {open && (
          <input
            aria-label="Reason"
            placeholder="Reason"
            value={reason}
            maxLength={200}
            onChange={(event) => setReason(event.target.value)}
          />
        )}
        {may && (
          <button type="button" className="btn" onClick={() => (open ? void send() : setOpen(true))}>
            {p.held ? (open ? 'Release it' : 'Release…') : open ? 'Hold it' : 'Hold…'}
          </button>
        )}
      </span>
    </div>
  );
}
