'use client';
/** Keeps the page in step: hears the fleet's clock and reads the page again while time passes. */
import { useRouter, useSearchParams } from 'next/navigation';
import { useEffect, useState } from 'react';

export interface ClockState {
  readonly nowMs: number;
  readonly rate: number;
  readonly jumpToMs: number | null;
  readonly simulated: boolean;
}

/** Least time between two readings of the page, in ms. */
const REFRESH_MS = 2_000;

export function useLiveClock(initial: ClockState): ClockState {
  const [state, setState] = useState(initial);
  const router = useRouter();
  const pinned = useSearchParams().has('at');
  useEffect(() => {
    let shownMs = 0;
    let last = Date.now();
    const source = new EventSource('/api/live');
    source.onmessage = (event: MessageEvent<string>) => {
      const next = JSON.parse(event.data) as ClockState;
      setState(next);
      if (pinned || document.hidden || next.nowMs === shownMs || Date.now() - last < REFRESH_MS) return;
      shownMs = next.nowMs;
      last = Date.now();
      router.refresh();
    };
    return () => source.close();
  }, [pinned, router]);
  return state;
}
