'use client';
import { useState, type FormEvent } from 'react';
import { Glyph } from '@/ui/glyph';

export function SignInForm() {
  const [trouble, setTrouble] = useState('');
  const [busy, setBusy] = useState(false);
  const submit = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault();
    const data = new FormData(event.currentTarget);
    setBusy(true);
    const answer = await fetch('/api/sign-in', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: data.get('name'), password: data.get('password') }),
    }).catch(() => null);
    setBusy(false);
    if (answer?.ok) return window.location.assign('/');
    const problem = (await answer?.json().catch(() => null)) as { title?: string; detail?: string } | null;
    setTrouble(
      problem ? `${problem.title} ${problem.detail}` : 'The server did not answer. Check that it runs, then try again.',
    );
  };
  return (
    <form onSubmit={(event) => void submit(event)} method="post">
      <h1 style={{ marginBottom: 18 }}>Anchor Bay</h1>
      <div className="field">
        <label htmlFor="name">Name</label>
        <input id="name" name="name" autoComplete="username" required maxLength={64} autoFocus />
      </div>
      <div className="field">
        <label htmlFor="password">Password</label>
        <input id="password" name="password" type="password" autoComplete="current-password" required maxLength={200} />
      </div>
      {trouble && (
        <p className="err" role="alert">
          <Glyph name="over" size={11} /> {trouble}
        </p>
      )}
      <button className="btn primary" type="submit" disabled={busy} style={{ marginTop: 10 }}>
        Sign in
      </button>
    </form>
  );
}
