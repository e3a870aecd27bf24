'use client';
/** The outlook for the whole frame: asked for once, played forward in a worker, made anew as time goes on. */
import { createContext, useContext, useEffect, useState, type ReactNode } from 'react';
import type { Outlook } from '@/core/forecast/outlook';

/** The forecast is made anew this often, in ms of real time. */
const AGAIN_MS = 60_000;

const Context = createContext<Outlook | null>(null);

/** Null until there is one; the page does without. */
export const useOutlook = (): Outlook | null => useContext(Context);

export function ForecastProvider({ nowMs, children }: { nowMs: number; children: ReactNode }) {
  const [outlook, setOutlook] = useState<Outlook | null>(null);
  // A jump of the clock or new data of the page is a reason too, but not each second that passes.
  const moment = Math.floor(nowMs / 900_000);
  useEffect(() => {
    const worker = new Worker(new URL('../../workers/forecast.ts', import.meta.url), { type: 'module' });
    worker.onmessage = (event: MessageEvent<Outlook>) => setOutlook(event.data);
    const abort = new AbortController();
    const ask = async (): Promise<void> => {
      try {
        const answer = await fetch('/api/forecast-input', { signal: abort.signal });
        if (answer.ok) worker.postMessage(await answer.json());
      } catch {
        // No answer now: what is shown stays, and it is asked again.
      }
    };
    void ask();
    const timer = setInterval(() => void ask(), AGAIN_MS);
    return () => {
      clearInterval(timer);
      abort.abort();
      worker.terminate();
    };
  }, [moment]);
  return <Context.Provider value={outlook}>{children}</Context.Provider>;
}
