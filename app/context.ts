/** What every page and route of the web process shares: database, clock, session, moment. */
import 'server-only';
import { cookies } from 'next/headers';
import { notFound, redirect } from 'next/navigation';
import { sessionOf, type Session } from '@/commands/sessions';
import type { EpochMs } from '@/core/units';
import { connectFromEnvironment, type Connected } from '@/queries/connect';

export const SESSION_COOKIE = 'anchor_session';

const shared = globalThis as unknown as { anchorBay?: Connected };
/** One pool a process, also across reloads of modules while developing. */
export function connected(): Connected {
  return (shared.anchorBay ??= connectFromEnvironment(process.env));
}

export async function currentSession(): Promise<Session | null> {
  return sessionOf(connected().db, (await cookies()).get(SESSION_COOKIE)?.value);
}

export async function requireSession(): Promise<Session> {
  return (await currentSession()) ?? redirect('/sign-in');
}

export type SearchParams = Promise<Record<string, string | string[] | undefined>>;

/** What a page about one thing is given. */
export interface SubjectProps {
  readonly params: Promise<{ readonly id: string }>;
  readonly searchParams: SearchParams;
}

/** The id in a page's address; what is no whole number is no page either. */
export async function idOf(params: SubjectProps['params']): Promise<number> {
  const id = Number((await params).id);
  return Number.isSafeInteger(id) ? id : notFound();
}

export interface Moment {
  readonly nowMs: EpochMs;
  readonly asOfMs: EpochMs;
  readonly isNow: boolean;
}

/** The moment that the address asks for; anything that is no past instant means now. */
export async function momentOf(params: SearchParams): Promise<Moment> {
  const { nowMs } = await connected().clock.read();
  const at = Number((await params).at);
  const isNow = !Number.isSafeInteger(at) || at <= 0 || at >= nowMs;
  return { nowMs, asOfMs: isNow ? nowMs : at, isNow };
}

/** One value of a search parameter, empty if absent or repeated. */
export function one(value: string | string[] | undefined): string {
  return typeof value === 'string' ? value.slice(0, 200) : '';
}
