'use client';
import Link from 'next/link';
import { usePathname, useRouter, useSearchParams } from 'next/navigation';
import { useEffect, useRef, useState } from 'react';
import { useAct } from '@/ui/act';
import { clock } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { useLiveClock, type ClockState } from '@/ui/frame/live';
import { STATIONS, useStationKeys } from '@/ui/frame/stations';
import { StandInPanel } from '@/ui/frame/stand-in-panel';
import { Menu } from '@/ui/menu';

const RATES: ReadonlyArray<readonly [number, string]> = [
  [0, 'Paused'],
  [1, 'Real time'],
  [60, '60 times'],
  [300, '300 times'],
];
const JUMPS: ReadonlyArray<readonly [number | null, string]> = [
  [900_000, '+15 min'],
  [3_600_000, '+1 h'],
  [7_200_000, '+2 h'],
  [null, 'Next event'],
];

export function TopBar({
  fullName,
  initial,
  subjects,
}: {
  fullName: string;
  initial: ClockState;
  subjects: Readonly<Record<string, readonly string[]>>;
}) {
  const path = usePathname();
  const search = useSearchParams();
  const at = search.get('at');
  const state = useLiveClock(initial);
  const [open, setOpen] = useState(false);
  useStationKeys();
  return (
    <header className="top">
      <Link className="brand" href="/">
        <svg width="20" height="20" viewBox="0 0 20 20" aria-hidden="true">
          <path d="M0 2.5h20" stroke="currentColor" strokeWidth="2" />
          <path d="M2 3v6M6 3v10M10 3v15M14 3v8M18 3v5" stroke="currentColor" strokeWidth="2" />
        </svg>
        Anchor Bay
      </Link>
      <button type="button" className="btn small stations" aria-expanded={open} onClick={() => setOpen(!open)}>
        Stations
      </button>
      <nav className={`nav ${open ? 'open' : ''}`} aria-label="Stations">
        {STATIONS.map(({ name, href }) => {
          const current =
            href === '/' ? path === '/' : path.startsWith(href) || (href === '/runbooks' && path.startsWith('/drills'));
          return (
            <Link key={href} href={at ? `${href}?at=${at}` : href} aria-current={current ? 'page' : undefined}>
              {name}
            </Link>
          );
        })}
      </nav>
      <div className="clockbox">
        {state.simulated && <StandInPanel subjects={subjects} />}
        <ClockControl state={state} />
        <Account fullName={fullName} />
      </div>
    </header>
  );
}

function ClockControl({ state }: { state: ClockState }) {
  const { zone, role } = useFrame();
  const act = useAct();
  const router = useRouter();
  const [trouble, setTrouble] = useState('');
  const jumping = state.jumpToMs !== null;
  const wasJumping = useRef(false);
  useEffect(() => {
    if (wasJumping.current && !jumping) router.refresh();
    wasJumping.current = jumping;
  }, [jumping, router]);
  const send = async (command: string, body: object): Promise<void> => {
    const result = await act(command, body);
    setTrouble(result.ok ? '' : `${result.refusal.title} ${result.refusal.remedy}`);
  };
  const speed = jumping ? 'jumping' : RATES.find(([rate]) => rate === state.rate)?.[1].toLowerCase();
  const label = `${clock(state.nowMs, zone)} ${zone}${state.simulated ? `, ${speed}` : ''}`;
  const face = (
    <>
      <b suppressHydrationWarning>{clock(state.nowMs, zone)}</b>{' '}
      <span>{state.simulated ? speed : zone.split('/')[1]}</span>
    </>
  );
  if (!state.simulated) return <div className="clock">{face}</div>;
  return (
    <Menu label="Demo clock" buttonLabel={`Demo clock: ${label}`} className="btn quiet clock" face={face}>
      <p className="t2">Demo clock, {zone}</p>
      <div className="seg">
        {RATES.map(([rate, name]) => (
          <button
            key={rate}
            type="button"
            aria-pressed={state.rate === rate}
            disabled={role === 'viewer'}
            onClick={() => void send('set-clock-rate', { rate })}
          >
            {name}
          </button>
        ))}
      </div>
      <div className="seg">
        {JUMPS.map(([byMs, name]) => (
          <button
            key={name}
            type="button"
            disabled={jumping || role === 'viewer'}
            onClick={() => void send('jump-clock', { byMs })}
          >
            {name}
          </button>
        ))}
      </div>
      {jumping && state.jumpToMs !== null && (
        <p role="status">Carrying out everything until {clock(state.jumpToMs, zone)} …</p>
      )}
      {role === 'viewer' && <p className="t2">Needs the role operator.</p>}
      {trouble && (
        <p className="err" role="alert">
          {trouble}
        </p>
      )}
    </Menu>
  );
}

/** What is looked at now and then, and by few: reached from the account. */
const DESKS = [
  ['Places', '/places'],
  ['Notices', '/notices'],
  ['Audit', '/audit'],
  ['Tokens', '/tokens'],
] as const;

function Account({ fullName }: { fullName: string }) {
  const { csrfToken, role } = useFrame();
  const initials = fullName
    .split(' ')
    .map((part) => part[0])
    .join('')
    .slice(0, 2);
  const signOut = async (): Promise<void> => {
    await fetch('/api/sign-out', { method: 'POST', headers: { 'x-csrf-token': csrfToken } });
    window.location.assign('/sign-in');
  };
  const toggleTheme = (): void => {
    const next = document.documentElement.dataset.theme === 'dark' ? 'light' : 'dark';
    document.documentElement.dataset.theme = next;
    document.cookie = `anchor_theme=${next}; path=/; max-age=31536000; samesite=strict`;
  };
  return (
    <Menu label="Account" buttonLabel={`${fullName}, account`} className="who" face={initials}>
      <p>
        <b>{fullName}</b> <span className="t2">{role}</span>
      </p>
      {DESKS.map(([name, href]) => (
        <Link key={href} className="btn quiet" href={href}>
          {name}
        </Link>
      ))}
      <button type="button" className="btn quiet" onClick={toggleTheme}>
        Light or dark
      </button>
      <button type="button" className="btn quiet" onClick={() => void signOut()}>
        Sign out
      </button>
    </Menu>
  );
}
