import { aPeriod } from '@/core/protect/ladder-bucket';
import type { Ladder } from '@/core/protect/ladder';
import { span } from '@/ui/format';

const WIDTH = 700;
const PER_MS = {
  hour: 3_600_000,
  day: 86_400_000,
  week: 604_800_000,
  month: 2_629_800_000,
  year: 31_557_600_000,
} as const;

/** The ladder drawn: rungs as steps from now (right) into the past, with a tick for each point a rung keeps. */
export function LadderDrawing({ ladder }: { ladder: Ladder }) {
  if (ladder.reading !== 'bands') return null;
  const count = ladder.rungs.length;
  const width = WIDTH / Math.max(1, count);
  return (
    <svg
      width="100%"
      viewBox={`0 0 ${WIDTH} 66`}
      role="img"
      aria-label={`Ladder with ${count} rungs`}
      style={{ maxWidth: WIDTH }}
    >
      {ladder.rungs.map((rung, i) => {
        const x1 = WIDTH - i * width;
        const x0 = x1 - width + 6;
        const kept = rung.per === null ? 48 : Math.max(1, Math.round((rung.spanMs / PER_MS[rung.per]) * rung.count));
        const ticks = Math.min(kept, 48);
        return (
          <g key={i}>
            <rect x={x0} y={16} width={x1 - x0} height={34} fill="var(--sheet)" stroke="var(--hair)" />
            {Array.from({ length: ticks }, (_, k) => (
              <rect
                key={k}
                x={x1 - ((k + 0.5) / ticks) * (x1 - x0) - 1}
                y={rung.per === null ? 22 : 26}
                width={2}
                height={rung.per === null ? 22 : 18}
                fill="var(--inside-fill)"
              />
            ))}
            <text x={x0} y={11} fontSize={12} fontWeight={650}>
              {rung.per === null ? 'every point' : `${rung.count} ${aPeriod(rung.per)}`}
            </text>
            <text x={x0} y={63} fontSize={12} style={{ fill: 'var(--ink-2)' }}>
              for {span(rung.spanMs)}
            </text>
          </g>
        );
      })}
      <text x={WIDTH - 2} y={11} fontSize={12} textAnchor="end" style={{ fill: 'var(--ink-2)' }}>
        now
      </text>
    </svg>
  );
}
