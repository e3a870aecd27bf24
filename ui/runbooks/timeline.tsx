/** Estimated timeline of a runbook against its RTO: solid is critical, tinted has slack, land lies past the RTO. */
import type { Network } from '@/core/recover/activity-network';
import { predecessorsOf, type RunbookPlan } from '@/core/recover/runbook';
import { span } from '@/ui/format';

const LEFT = 392;
const WIDTH = 1232;
const TOP = 36;
const ROW = 26;

export function Timeline({
  plan,
  estimate,
  durations,
  rtoMs,
}: {
  plan: RunbookPlan;
  estimate: Network;
  durations: ReadonlyArray<{ readonly workloadId: number; readonly ms: number; readonly measured: boolean }>;
  rtoMs: number;
}) {
  if (estimate.kind !== 'timed') return <p className="err">The order cannot be carried out; see readiness below.</p>;
  const longest = Math.max(rtoMs * 1.15, estimate.duration * 1.1);
  const x = (ms: number) => LEFT + (ms / longest) * (WIDTH - LEFT);
  const rows = plan.waves.flatMap((wave, w) =>
    wave.members.map((m, i) => ({
      m,
      wave: i === 0 ? `${w + 1} ${wave.name}` : '',
      timing: estimate.timings.find((t) => t.id === String(m.workloadId)),
    })),
  );
  const bottom = TOP + rows.length * ROW + 4;
  const tick = niceTick(longest);
  const rowOf = new Map(rows.map((r, i) => [r.m.workloadId, i]));
  const predecessors = predecessorsOf(plan);
  return (
    <figure aria-label="Waves">
      <div className="fig-head">
        <h2>Waves</h2>
        <span className="note">
          {rows.length} workloads; times are those of the last drill that measured them
          {durations.some((d) => !d.measured) ? ', 6 min assumed where none did' : ''}
        </span>
      </div>
      <svg
        width="100%"
        viewBox={`0 0 ${WIDTH} ${bottom + 4}`}
        role="img"
        aria-label={`Estimated ${span(estimate.duration)} against an RTO of ${span(rtoMs)}`}
      >
        <rect x={LEFT} y={TOP} width={WIDTH - LEFT} height={bottom - TOP} fill="var(--sheet)" />
        <rect
          x={x(rtoMs * 0.5)}
          y={TOP}
          width={x(rtoMs * 0.8) - x(rtoMs * 0.5)}
          height={bottom - TOP}
          fill="var(--shoal-1)"
        />
        <rect
          x={x(rtoMs * 0.8)}
          y={TOP}
          width={x(rtoMs) - x(rtoMs * 0.8)}
          height={bottom - TOP}
          fill="var(--shoal-2)"
        />
        <rect x={x(rtoMs)} y={TOP} width={WIDTH - x(rtoMs)} height={bottom - TOP} fill="var(--land)" />
        {Array.from({ length: Math.floor(longest / tick) + 1 }, (_, i) => (
          <g key={i}>
            {i % 2 === 0 && (
              <rect
                x={x(i * tick)}
                y={TOP - 7}
                width={Math.min(x((i + 1) * tick), WIDTH) - x(i * tick)}
                height={7}
                fill="var(--solid)"
              />
            )}
            {Math.abs(x(i * tick) - x(rtoMs)) > 36 && (
              <text
                x={x(i * tick)}
                y={TOP - 12}
                fontSize={11.5}
                textAnchor={i ? 'middle' : 'start'}
                style={{ fill: 'var(--ink-2)' }}
              >
                {i === 0 ? '0' : span(i * tick)}
              </text>
            )}
          </g>
        ))}
        <rect x={LEFT + 0.5} y={TOP - 6.5} width={WIDTH - LEFT - 1} height={6.5} fill="none" stroke="var(--ink)" />
        <line x1={x(rtoMs)} x2={x(rtoMs)} y1={TOP} y2={bottom} stroke="var(--bed)" strokeWidth={1.8} />
        <text x={x(rtoMs)} y={TOP - 12} fontSize={11.5} fontWeight={650} textAnchor="middle">
          RTO {span(rtoMs)}
        </text>
        {rows.map(({ m, wave, timing }, i) => {
          if (!timing) return null;
          const y = TOP + 3 + i * ROW;
          return (
            <g key={m.workloadId}>
              {wave && i > 0 && <line x1={0} x2={WIDTH} y1={y - 2} y2={y - 2} stroke="var(--hair)" />}
              <text x={0} y={y + 16} fontSize={13} fontWeight={650}>
                {wave}
              </text>
              <text x={96} y={y + 16} fontSize={13} className="mono">
                {m.name}
              </text>
              <text x={218} y={y + 16} fontSize={12} style={{ fill: 'var(--ink-2)' }} className="mono">
                {m.address}
              </text>
              <text
                x={LEFT - 14}
                y={y + 16}
                fontSize={13}
                textAnchor="end"
                fontStyle="italic"
                fontWeight={timing.critical ? 650 : 420}
              >
                {span(timing.earliestFinish - timing.earliestStart)}
              </text>
              {(predecessors.get(m.workloadId) ?? []).map((p) => {
                const from = rowOf.get(p);
                const before = estimate.timings.find((t) => t.id === String(p));
                if (from === undefined || !before || Math.abs(before.earliestFinish - timing.earliestStart) > 1)
                  return null;
                return (
                  <line
                    key={p}
                    x1={x(timing.earliestStart)}
                    x2={x(timing.earliestStart)}
                    y1={TOP + 13 + from * ROW}
                    y2={y + 10}
                    stroke="var(--ink)"
                    strokeWidth={timing.critical && before.critical ? 2.4 : 1.1}
                  />
                );
              })}
              <rect
                x={x(timing.earliestStart) + 0.6}
                y={y + 4}
                width={Math.max(2, x(timing.earliestFinish) - x(timing.earliestStart) - 1.2)}
                height={12}
                fill={timing.critical ? 'var(--solid)' : 'var(--shoal-2)'}
                stroke={timing.critical ? 'var(--ink)' : 'var(--inside)'}
                strokeWidth={1.2}
              />
              {timing.slack > 1000 && (
                <line
                  x1={x(timing.earliestFinish)}
                  x2={x(timing.latestFinish)}
                  y1={y + 10}
                  y2={y + 10}
                  stroke="var(--ink-3)"
                  strokeDasharray="1.5 3"
                />
              )}
            </g>
          );
        })}
        <line x1={0} x2={WIDTH} y1={bottom} y2={bottom} stroke="var(--rule)" />
        <line
          x1={x(estimate.duration)}
          x2={x(estimate.duration)}
          y1={TOP}
          y2={bottom}
          stroke="var(--ink)"
          strokeDasharray="3 3"
        />
        <text x={x(estimate.duration) + 5} y={TOP + 14} fontSize={12} fontStyle="italic" fontWeight={650}>
          expected {span(estimate.duration)}
        </text>
      </svg>
    </figure>
  );
}

function niceTick(longestMs: number): number {
  return [1, 5, 10, 30, 60, 120, 240].map((m) => m * 60_000).find((tick) => longestMs / tick <= 12) ?? 480 * 60_000;
}
