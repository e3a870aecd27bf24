'use client';
/** Links: what each carries now, and what it may carry at which hours. */
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { Throttle } from '@/core/flow/throttle';
import { parseWindows, writeWindows } from '@/core/time/window-text';
import { useAct } from '@/ui/act';
import { percent, rate } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';

export interface ShownLink {
  readonly id: number;
  readonly name: string;
  readonly rateBps: number;
  /** What it may carry at this moment. */
  readonly mayBps: number;
  /** Share of its rate that it carries; 1: all. */
  readonly factor: number;
  readonly throttles: readonly Throttle[];
}

const sayThrottle = ({ when, rateBps }: Throttle): string => `${rate(rateBps)} ${writeWindows([when])}`;

export function LinkTable({ links, canAct }: { links: readonly ShownLink[]; canAct: boolean }) {
  const { role } = useFrame();
  const may = canAct && role === 'administrator';
  return (
    <table>
      <thead>
        <tr>
          <th style={{ width: 210 }}>Link</th>
          <th className="r" style={{ width: 100 }}>
            Rate
          </th>
          <th style={{ width: 210, paddingLeft: 12 }}>Now</th>
          <th>May carry at most</th>
          {may && <th style={{ width: 90 }} />}
        </tr>
      </thead>
      <tbody>
        {links.map((link) => (
          <LinkRow key={link.id} link={link} may={may} />
        ))}
      </tbody>
    </table>
  );
}

function LinkRow({ link, may }: { link: ShownLink; may: boolean }) {
  const [open, setOpen] = useState(false);
  const says = link.throttles.map(sayThrottle).join('; ');
  return (
    <tr>
      <td>{link.name}</td>
      <td className="r">{rate(link.rateBps)}</td>
      <td style={{ paddingLeft: 12 }}>
        {link.factor === 0 ? (
          <span className="s-over">down</span>
        ) : link.factor < 1 ? (
          <span className="s-closing">{percent(link.factor)} of its rate</span>
        ) : link.mayBps < link.rateBps ? (
          `throttled to ${rate(link.mayBps)}`
        ) : (
          'its whole rate'
        )}
      </td>
      <td style={{ whiteSpace: 'normal' }}>
        {open ? (
          <ThrottleForm link={link} onDone={() => setOpen(false)} />
        ) : (
          says || <span className="t2">its rate, at all hours</span>
        )}
      </td>
      {may && (
        <td className="r">
          {!open && (
            <button
              type="button"
              className="btn small quiet"
              aria-label={`Throttle ${link.name}`}
              onClick={() => setOpen(true)}
            >
              Throttle…
            </button>
          )}
        </td>
      )}
    </tr>
  );
}

function ThrottleForm({ link, onDone }: { link: ShownLink; onDone: () => void }) {
  const { zone } = useFrame();
  const act = useAct();
  const router = useRouter();
  const first = link.throttles[0];
  const [hours, setHours] = useState(
    first ? writeWindows(link.throttles.map(({ when }) => when)) : 'weekdays 07:00-17:00',
  );
  const [mbits, setMbits] = useState(String((first?.rateBps ?? link.rateBps / 4) / 1e6));
  const [trouble, setTrouble] = useState('');
  const save = async (): Promise<void> => {
    const windows = parseWindows(hours, zone);
    const rateBps = Math.round(Number(mbits.replace(',', '.')) * 1e6);
    if (!windows) return setTrouble('Write hours such as weekdays 07:00-17:00; Sat 08:00-12:00, or nothing for none.');
    if (windows.length && !(rateBps >= 1e6)) return setTrouble('Write at least 1 Mbit/s.');
    const throttles = windows.map((when) => ({ when, rateBps }));
    const result = await act('throttle-link', { linkId: link.id, throttles });
    if (!result.ok) return setTrouble(`${result.refusal.title} ${result.refusal.remedy}`);
    onDone();
    router.refresh();
  };
  return (
    <form
      className="line-form"
      aria-label={`Throttle ${link.name}`}
      onSubmit={(event) => {
        event.preventDefault();
        void save();
      }}
    >
      <input
        aria-label="Most, in Mbit/s"
        size={7}
        value={mbits}
        maxLength={9}
        onChange={(e) => setMbits(e.target.value)}
      />
      <span>Mbit/s</span>
      <input
        aria-label={`Hours, ${zone}`}
        size={34}
        value={hours}
        maxLength={200}
        aria-invalid={trouble !== ''}
        onChange={(e) => setHours(e.target.value)}
      />
      <button type="submit" className="btn small">
        Save
      </button>
      <button type="button" className="btn small quiet" onClick={onDone}>
        Keep it as it is
      </button>
      {trouble && (
        <span className="err" role="alert">
          {trouble}
        </span>
      )}
    </form>
  );
}
