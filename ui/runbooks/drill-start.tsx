'use client';
import Link from 'next/link';
import { useState } from 'react';
import { fromLocal, toLocal } from '@/core/time/zone';
import { ActButton } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';

/** Starts a drill from the latest usable points, or from those of a chosen time. */
export function DrillStart({
  runbookId,
  openDrill,
  nowMs,
}: {
  runbookId: number;
  openDrill: number | null;
  nowMs: number;
}) {
  const { role, zone } = useFrame();
  const [at, setAt] = useState('');
  if (openDrill !== null)
    return (
      <Link className="btn primary" style={{ textDecoration: 'none' }} href={`/drills/${openDrill}`}>
        Open the drill under way
      </Link>
    );
  if (role === 'viewer') return <span className="t2">Starting a drill needs the role operator.</span>;
  const wall = at ? Date.parse(`${at}Z`) : NaN;
  const chosen = Number.isNaN(wall) ? null : fromLocal(zone, wall);
  const ahead = chosen !== null && chosen > nowMs;
  const latest = toLocal(zone, nowMs);
  const two = (n: number) => String(n).padStart(2, '0');
  return (
    <div className="flex gap-2 items-center">
      <label className="t2" htmlFor="drill-at" style={{ fontSize: 13, whiteSpace: 'nowrap' }}>
        Points of
      </label>
      <input
        id="drill-at"
        type="datetime-local"
        className="btn quiet"
        value={at}
        max={`${latest.year}-${two(latest.month)}-${two(latest.day)}T${two(latest.hour)}:${two(latest.minute)}`}
        onChange={(event) => setAt(event.target.value)}
        aria-describedby="drill-at-hint"
      />
      <span id="drill-at-hint" className="t3" style={{ fontSize: 12, whiteSpace: 'nowrap' }}>
        {ahead ? 'That time lies ahead.' : at ? zone : 'empty: the latest'}
      </span>
      <ActButton<{ drillId: number }>
        command="start-drill"
        body={{ runbookId, pointInTimeMs: chosen }}
        kind="primary"
        disabled={ahead}
        then={({ drillId }) => `/drills/${drillId}`}
      >
        Start drill
      </ActButton>
    </div>
  );
}
