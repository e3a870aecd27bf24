'use client';
/** Pauses of a policy, a site or a workload: those in force with who and why, and a new one, always with an end. */
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { ActButton, useAct } from '@/ui/act';
import { exact, when } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { Glyph } from '@/ui/glyph';

export interface ShownPause {
  readonly id: number;
  readonly toMs: number;
  readonly reason: string;
  readonly by: string | null;
  /** What is paused, where it is not the subject of the page itself. */
  readonly of: string;
}

const HOURS = [1, 4, 12, 24, 72, 168] as const;
const wordsOf = (hours: number): string => (hours < 24 ? `${hours} h` : hours === 24 ? '1 day' : `${hours / 24} days`);

/** Those in force: who, why, until when. */
export function PausesInForce({ pauses, canAct }: { pauses: readonly ShownPause[]; canAct: boolean }) {
  const { zone, role, nowMs } = useFrame();
  return pauses.map((pause) => (
    <p key={pause.id} className="st s-held" style={{ gap: 8, paddingBottom: 6 }}>
      <Glyph name="held" size={12} />
      <span title={exact(pause.toMs, zone)}>
        {pause.of} paused until {when(pause.toMs, zone, nowMs)}
        {pause.by ? ` by ${pause.by}` : ''}: {pause.reason}. Exposure goes on.
      </span>
      {canAct && role !== 'viewer' && (
        <ActButton command="end-pause" body={{ pauseId: pause.id }} small>
          End pause
        </ActButton>
      )}
    </p>
  ));
}

/** Begins a pause; nothing for who may not. */
export function PauseButton({ scope, scopeId }: { scope: 'policy' | 'site' | 'workload'; scopeId: number }) {
  const { role } = useFrame();
  return role === 'viewer' ? null : <NewPause scope={scope} scopeId={scopeId} />;
}

function NewPause({ scope, scopeId }: { scope: string; scopeId: number }) {
  const { nowMs } = useFrame();
  const act = useAct();
  const router = useRouter();
  const [open, setOpen] = useState(false);
  const [hours, setHours] = useState(4);
  const [reason, setReason] = useState('');
  const [trouble, setTrouble] = useState('');
  if (!open)
    return (
      <button type="button" className="btn quiet" onClick={() => setOpen(true)}>
        Pause…
      </button>
    );
  const begin = async (): Promise<void> => {
    const result = await act('begin-pause', { scope, scopeId, untilMs: nowMs + hours * 3_600_000, reason });
    setTrouble(result.ok ? '' : (result.refusal.fields.reason ?? `${result.refusal.title} ${result.refusal.remedy}`));
    if (!result.ok) return;
    setOpen(false);
    setReason('');
    router.refresh();
  };
  return (
    <form
      className="line-form"
      aria-label={`Pause this ${scope}`}
      onSubmit={(event) => {
        event.preventDefault();
        void begin();
      }}
    >
      <label htmlFor={`pause-${scope}-${scopeId}`}>No runs for</label>
      <select id={`pause-${scope}-${scopeId}`} value={hours} onChange={(event) => setHours(Number(event.target.value))}>
        {HOURS.map((h) => (
          <option key={h} value={h}>
            {wordsOf(h)}
          </option>
        ))}
      </select>
      <input
        aria-label="Reason of the pause"
        placeholder="Reason"
        value={reason}
        maxLength={200}
        aria-invalid={trouble !== ''}
        onChange={(event) => setReason(event.target.value)}
      />
      <button type="submit" className="btn small">
        Begin pause
      </button>
      <button type="button" className="btn quiet small" onClick={() => setOpen(false)}>
        Leave it running
      </button>
      {trouble && (
        <span className="err" role="alert">
          {trouble}
        </span>
      )}
    </form>
  );
}
