'use client';
/** Where notices go: added here, tried at once. */
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { useAct, type RefusalShown } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';

const LEVELS = [
  ['over', 'only what is over its RPO'],
  ['closing', 'what is closing, too'],
  ['all', 'everything that needs a person'],
] as const;

const minutes = (text: string): number | null => {
  const match = /^(\d\d):(\d\d)$/.exec(text);
  return match ? Number(match[1]) * 60 + Number(match[2]) : null;
};

export function RouteForm() {
  const { role } = useFrame();
  const act = useAct();
  const router = useRouter();
  const [kind, setKind] = useState<'mail' | 'webhook'>('mail');
  const [target, setTarget] = useState('');
  const [level, setLevel] = useState('over');
  const [from, setFrom] = useState('');
  const [to, setTo] = useState('');
  const [later, setLater] = useState('');
  const [gather, setGather] = useState('0');
  const [refusal, setRefusal] = useState<RefusalShown | null>(null);
  const [secret, setSecret] = useState<string | null>(null);
  const add = async (): Promise<void> => {
    const result = await act<{ routeId: number; secret: string | null }>('add-notice-route', {
      kind,
      target: target.trim(),
      level,
      quietFromMin: minutes(from),
      quietToMin: minutes(to),
      escalateAfterMs: later === '' ? null : Number(later) * 60_000,
      gatherMs: Number(gather) * 3_600_000,
    });
    setRefusal(result.ok ? null : result.refusal);
    if (!result.ok) return;
    setSecret(result.value.secret);
    setTarget('');
    router.refresh();
  };
  return (
    <form
      className="flex flex-wrap items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        void add();
      }}
    >
      <div className="field">
        <label htmlFor="route-kind">By</label>
        <select id="route-kind" value={kind} onChange={(e) => setKind(e.target.value as 'mail' | 'webhook')}>
          <option value="mail">mail</option>
          <option value="webhook">webhook</option>
        </select>
      </div>
      <div className="field">
        <label htmlFor="route-target">{kind === 'mail' ? 'Mail address' : 'Address of the receiver'}</label>
        <input
          id="route-target"
          size={30}
          maxLength={300}
          value={target}
          aria-invalid={Boolean(refusal?.fields.target)}
          onChange={(e) => setTarget(e.target.value)}
        />
      </div>
      <div className="field">
        <label htmlFor="route-level">Tells</label>
        <select id="route-level" value={level} onChange={(e) => setLevel(e.target.value)}>
          {LEVELS.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
      </div>
      <div className="field">
        <label htmlFor="route-from">Quiet from</label>
        <input id="route-from" type="time" value={from} onChange={(e) => setFrom(e.target.value)} />
      </div>
      <div className="field">
        <label htmlFor="route-to">to</label>
        <input id="route-to" type="time" value={to} onChange={(e) => setTo(e.target.value)} />
      </div>
      <div className="field">
        <label htmlFor="route-later">Only if nobody takes it up for</label>
        <select id="route-later" value={later} onChange={(e) => setLater(e.target.value)}>
          <option value="">at once</option>
          <option value="15">15 min</option>
          <option value="60">1 h</option>
          <option value="240">4 h</option>
        </select>
      </div>

      <div className="field">
        <label htmlFor="route-gather">Gathered</label>
        <select id="route-gather" value={gather} onChange={(e) => setGather(e.target.value)}>
          <option value="0">each at its moment</option>
          <option value="1">every hour</option>
          <option value="4">every 4 h</option>
          <option value="12">every 12 h</option>
        </select>
      </div>
      <div className="field">
        <button type="submit" className="btn" disabled={role !== 'administrator'}>
          Add
        </button>
      </div>
      {role !== 'administrator' && <span className="t2">Needs the role administrator.</span>}
      {refusal && (
        <p className="err" role="alert">
          {refusal.fields.target ?? refusal.fields.quietToMin ?? refusal.title} {refusal.remedy}
        </p>
      )}
      {secret && (
        <p role="status">
          Signing secret, shown this once: <code className="num">{secret}</code>
        </p>
      )}
    </form>
  );
}
