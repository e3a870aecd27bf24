'use client';
/** The demo's own panel: faults of the simulated world, set and healed. */
import { useState } from 'react';
import { FAULT_KINDS, FAULTS, type FaultKind } from '@/core/protect/fault';
import { useAct } from '@/ui/act';
import { useFrame } from '@/ui/frame/frame-context';
import { Menu } from '@/ui/menu';

export function StandInPanel({ subjects }: { subjects: Readonly<Record<string, readonly string[]>> }) {
  const { role } = useFrame();
  const act = useAct();
  const [kind, setKind] = useState<FaultKind>('link-cut');
  const choices = subjects[FAULTS[kind].on] ?? [];
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
    <Menu label="Stand-in" className="btn quiet" face="Stand-in">
      <p className="t2">Faults of the simulated sites</p>
      <div className="field">
        <label htmlFor="fault-kind">Fault</label>
        <select id="fault-kind" value={kind} onChange={(e) => setKind(e.target.value as FaultKind)}>
          {FAULT_KINDS.map((value) => (
            <option key={value} value={value}>
              {FAULTS[value].words}
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
    </Menu>
  );
}
