'use client';
/** A new token: its secret is shown once. */
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { useAct } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';

const SCOPES = ['read', 'operate', 'administer'] as const;

export function TokenForm() {
  const { role } = useFrame();
  const act = useAct();
  const router = useRouter();
  const [name, setName] = useState('');
  const [scope, setScope] = useState<string>('read');
  const [days, setDays] = useState('90');
  const [trouble, setTrouble] = useState('');
  const [secret, setSecret] = useState<string | null>(null);
  const make = async (): Promise<void> => {
    const result = await act<{ secret: string }>('create-token', { name: name.trim(), scope, days: Number(days) });
    setTrouble(
      result.ok ? '' : `${Object.values(result.refusal.fields)[0] ?? result.refusal.title} ${result.refusal.remedy}`,
    );
    if (!result.ok) return;
    setSecret(result.value.secret);
    setName('');
    router.refresh();
  };
  return (
    <form
      className="flex flex-wrap items-end gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        void make();
      }}
    >
      <div className="field">
        <label htmlFor="token-name">What it is for</label>
        <input id="token-name" size={30} maxLength={64} value={name} onChange={(e) => setName(e.target.value)} />
      </div>
      <div className="field">
        <label htmlFor="token-scope">It may</label>
        <select id="token-scope" value={scope} onChange={(e) => setScope(e.target.value)}>
          {SCOPES.map((value) => (
            <option key={value}>{value}</option>
          ))}
        </select>
      </div>
      <div className="field">
        <label htmlFor="token-days">For</label>
        <select id="token-days" value={days} onChange={(e) => setDays(e.target.value)}>
          <option value="7">7 days</option>
          <option value="90">90 days</option>
          <option value="365">a year</option>
        </select>
      </div>
      <div className="field">
        <button type="submit" className="btn" disabled={role === 'viewer'}>
          Make token
        </button>
      </div>
      {trouble && (
        <p className="err" role="alert">
          {trouble}
        </p>
      )}
      {secret && (
        <p role="status">
          Shown this once, keep it safe: <code className="num">{secret}</code>
        </p>
      )}
    </form>
  );
}
