'use client';
/** What the lane as it is typed would do: shown beside the fields, before anything is saved. */
import { useMemo } from 'react';
import { previewLane, type LaneFacts } from '@/core/forecast/lane-preview';
import type { Ladder } from '@/core/protect/ladder';
import { spanWords } from '@/core/time/rule-words';
import type { Cadence } from '@/core/time/cadence';
import { bytes, span, when } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';

const REASONS = {
  fits: '',
  'cadence-too-long': 'the runs are too far apart',
  'run-too-long': 'the runs are close enough, but take too long until usable',
  'line-too-slow': 'more changes than the line takes; it never catches up',
} as const;

export function LanePreviewNote({
  cadence,
  ladder,
  now,
  looks,
  rpoMs,
}: {
  cadence: Cadence;
  ladder: Ladder;
  now: Cadence;
  looks: LaneFacts | null;
  rpoMs: number | null;
}) {
  const { zone, nowMs } = useFrame();
  const preview = useMemo(
    () => previewLane({ cadence, ladder }, { cadence: now, looks, rpoMs }, nowMs),
    [cadence, ladder, now, looks, rpoMs, nowMs],
  );
  const f = preview.feasibility;
  return (
    <div className="preview" role="status" aria-label="Preview">
      <p>
        <i>Next runs {preview.nextMs.map((ms) => when(ms, zone, nowMs)).join(', ') || 'only by hand'}.</i>{' '}
        {preview.points} points a workload when full
        {preview.bytes !== null && <>, about {bytes(preview.bytes)} besides its full copy</>}.
      </p>
      {f && rpoMs !== null && (
        <p className={f.feasible ? 's-inside' : 's-over'}>
          {Number.isFinite(f.worstMs) ? `Worst exposure ${span(f.worstMs)}` : 'It never catches up'}
          {f.feasible
            ? `, inside the RPO of ${span(rpoMs)}.`
            : ` against an RPO of ${span(rpoMs)}: ${REASONS[f.reason]}.`}
          {f.change?.kind === 'cadence' &&
            ` Every ${spanWords(Math.floor(f.change.everyMs / 60_000) * 60_000 || 30_000)} would do, by this lane alone.`}
          {f.change?.kind === 'line' && ` A line of ${Math.ceil((f.change.bytesPerMs * 8) / 1000)} Mbit/s would do.`}
        </p>
      )}
    </div>
  );
}
