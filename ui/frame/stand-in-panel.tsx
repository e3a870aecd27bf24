'use client';
/** The demo's own panel: faults of the simulated world, set and healed. */
import { useState } from 'react';
import { useAct } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';

const KINDS: ReadonlyArray<readonly [string, string, string]> = [
  ['link-cut', 'Link cut', 'links'],
  ['link-slow', 'Link at a tenth of its rate', 'links'],
  ['site-down', 'Site does not answer', 'sites'],
  ['repository-full', 'Repository full', 'repositories'],
  ['guest-credentials', 'Guest agent credentials wrong', 'workloads'],
  ['check-fails', 'Service does not start on a clone', 'workloads'],
  ['slow-boot', 'Boots four times slower', 'workloads'],
];

export function StandInPanel({ subjects }: { subjects: Readonly<Record<string, readonly string[]>> }) {
  const { role } = useFrame();
  const act = useAct();
  const [open, setOpen] = useState(false);
  const [kind, setKind] = useState('link-cut');
  const choices = subjects[KINDS.find(([k]) => k === kind)?.[2] ?? 'links'] ?? [];
  const [subject, setSubject] = useState('');
  const [said, setSaid] = useState('');
  const chosen = choices.includes(subject) ? subject : (choices[0] ?? '');
  const send = async (command: 'set-fault' | 'clear-fault'): Promise<void> => {
    const body = { kind, subject: chosen, ...(command === 'set-fault' && kind === 'link-slow' ? { factor: 0.1 } : {}) };
    const result = await act(command, body);
    setSaid(
      result.ok
        ? command === 'set-fault'
          ? `Set on ${chosen}.`
          : `Healed: ${chosen}.`
        : `${result.refusal.title} ${result.refusal.remedy}`,
    );
  };
  return (
    <>
      <button type="button" className="btn quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
        Stand-in
      </button>
      {open && (
        <div className="menu" role="group" aria-label="Stand-in">
          <p className="t2">Faults of the simulated sites</p>
          <div className="field">
            <label htmlFor="fault-kind">Fault</label>
            <select id="fault-kind" value={kind} onChange={(e) => setKind(e.target.value)}>
              {KINDS.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </select>
          </div>
          <div className="field">
            <label htmlFor="fault-subject">Where</label>
            <select id="fault-subject" value={chosen} onChange={(e) => setSubject(e.target.value)}>
              {choices.map((name) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          </div>
          <div className="flex gap-2">
            <button type="button" className="btn" disabled={role === 'viewer'} onClick={() => void send('set-fault')}>
              Set fault
            </button>
            <button type="button" className="btn" disabled={role === 'viewer'} onClick={() => void send('clear-fault')}>
              Heal
            </button>
          </div>
          {said && <p role="status">{said}</p>}
        </div>
      )}
    </>
  );
}
