import { headers } from 'next/headers';
import type { ReactNode } from 'react';
import { connected, requireSession } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { standInSubjects } from '@/queries/frame';
import { railData } from '@/queries/rail';
import { ForecastProvider } from '@/ui/frame/forecast';
import { FrameProvider } from '@/ui/frame/frame-context';
import { StyleNonce } from '@/ui/frame/style-nonce';
import { TimeRail } from '@/ui/frame/time-rail';
import { TopBar } from '@/ui/frame/top-bar';

export default async function MainLayout({ children }: { children: ReactNode }) {
  const session = await requireSession();
  const { db, clock } = connected();
  const state = await clock.read();
  const [zone, rail, subjects] = await Promise.all([
    displayZone(db),
    railData(db, state.nowMs),
    state.simulated ? standInSubjects(db) : {},
  ]);
  const { person, csrfToken } = session;
  const nonce = (await headers()).get('x-nonce');
  return (
    <FrameProvider value={{ csrfToken, role: person.role, zone, nowMs: state.nowMs, demo: state.simulated }}>
      <StyleNonce nonce={nonce} />
      <TopBar fullName={person.fullName} initial={state} subjects={subjects} />
      <ForecastProvider nowMs={state.nowMs}>
        <main>{children}</main>
        <TimeRail rail={rail} />
      </ForecastProvider>
    </FrameProvider>
  );
}
