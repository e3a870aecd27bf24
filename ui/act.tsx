'use client';
/** Doing something: one command to the server, with the session's token; a refusal is shown where it was asked. */
import { useRouter } from 'next/navigation';
import { useState, type ReactNode } from 'react';
import { useFrame } from '@/ui/frame/frame-context';

export interface RefusalShown {
  readonly title: string;
  readonly remedy: string;
  readonly fields: Readonly<Record<string, string>>;
}
export type ActResult<T> =
  { readonly ok: true; readonly value: T } | { readonly ok: false; readonly refusal: RefusalShown };

/** Sends a command. */
export function useAct(): <T>(command: string, body: object) => Promise<ActResult<T>> {
  const ask = useAsk();
  return <T,>(command: string, body: object) => ask<T>(`/api/commands/${command}`, body);
}

/** Asks a route that takes JSON, with the session's token. */
export function useAsk(): <T>(path: string, body: object) => Promise<ActResult<T>> {
  const { csrfToken } = useFrame();
  return async <T,>(path: string, body: object): Promise<ActResult<T>> => {
    try {
      const answer = await fetch(path, {
        method: 'POST',
        headers: { 'content-type': 'application/json', 'x-csrf-token': csrfToken },
        body: JSON.stringify(body),
      });
      const data = (await answer.json()) as Record<string, unknown>;
      if (answer.ok) return { ok: true, value: data as T };
      const {
        title = 'Refused',
        detail = '',
        fields = {},
      } = data as { title?: string; detail?: string; fields?: Record<string, string> };
      return { ok: false, refusal: { title, remedy: detail, fields } };
    } catch {
      return {
        ok: false,
        refusal: { title: 'The server did not answer.', remedy: 'Check the connection, then do it again.', fields: {} },
      };
    }
  };
}

interface ActButtonProps<T> {
  readonly command: string;
  readonly body: object;
  readonly children: ReactNode;
  readonly kind?: 'primary' | 'quiet' | 'plain';
  readonly small?: boolean;
  readonly disabled?: boolean;
  /** Where to go with what came back; without it the page is read again. */
  readonly then?: (value: T) => string | null;
}

export function ActButton<T>({
  command,
  body,
  children,
  kind = 'plain',
  small = false,
  disabled = false,
  then,
}: ActButtonProps<T>) {
  const act = useAct();
  const router = useRouter();
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<RefusalShown | null>(null);
  const go = async (): Promise<void> => {
    setBusy(true);
    const result = await act<T>(command, body);
    setBusy(false);
    setRefusal(result.ok ? null : result.refusal);
    if (!result.ok) return;
    const next = then?.(result.value);
    if (next) router.push(next);
    else router.refresh();
  };
  return (
    <>
      <button
        type="button"
        className={`btn ${kind === 'plain' ? '' : kind} ${small ? 'small' : ''}`}
        disabled={disabled || busy}
        onClick={() => void go()}
      >
        {children}
      </button>
      {refusal && (
        <span className="err" role="alert">
          {refusal.title} {refusal.remedy}
        </span>
      )}
    </>
  );
}
