'use client';
/** What a stream gives: how far behind it is, which seconds can be had, and a point of any of them. */
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import { fromLocal } from '@/core/time/zone';
import { useAct } from '@/ui/act';
import { bytes, exact, rate, second, span } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';
import { Glyph, type GlyphName } from '@/ui/glyph';

export interface ShownStream {
  readonly lane: string;
  readonly place: string;
  readonly site: string;
  readonly state: 'starting' | 'flowing' | 'behind' | 'broken';
  readonly throughMs: number;
  readonly spans: ReadonlyArray<{ readonly fromMs: number; readonly toMs: number }>;
  readonly behindBytes: number;
  readonly rateBps: number;
}

const MARKS: Readonly<Record<ShownStream['state'], readonly [GlyphName, string, string]>> = {
  starting: ['booked', '', 'is seen first within a minute'],
  flowing: ['inside', 's-inside', 'flows'],
  behind: ['closing', 's-closing', 'falls behind'],
  broken: ['over', 's-over', 'is broken'],
};

export function StreamPanel({
  workloadId,
  stream,
  asOfMs,
}: {
  workloadId: number;
  stream: ShownStream;
  asOfMs: number;
}) {
  const { zone, role } = useFrame();
  const [glyph, tone, words] = MARKS[stream.state];
  return (
    <div className="flex flex-wrap items-center gap-3" style={{ padding: '6px 0', borderTop: '1px solid var(--hair)' }}>
      <span className={`st ${tone}`}>
        <Glyph name={glyph} size={12} /> {stream.lane} {words}
      </span>
      <span title={exact(stream.throughMs, zone)}>
        {span(Math.max(0, asOfMs - stream.throughMs))} behind at {stream.site}, {stream.place}
        {stream.behindBytes > 0 && `, ${bytes(stream.behindBytes)} still to send`} {rate(stream.rateBps)}
      </span>
      <span className="t2">
        any second of{' '}
        {stream.spans.map(({ fromMs, toMs }) => `${second(fromMs, zone)} to ${second(toMs, zone)}`).join(' and ') ||
          '…'}
      </span>
      {role !== 'viewer' && stream.spans.length > 0 && (
        <MakePoint workloadId={workloadId} stream={stream} zone={zone} />
      )}
    </div>
  );
}

function MakePoint({ workloadId, stream, zone }: { workloadId: number; stream: ShownStream; zone: string }) {
  const act = useAct();
  const router = useRouter();
  const last = stream.spans.at(-1);
  const [text, setText] = useState(() => second(last?.toMs ?? stream.throughMs, zone, true));
  const [said, setSaid] = useState('');
  const [trouble, setTrouble] = useState('');
  const make = async (): Promise<void> => {
    const wallMs = Date.parse(`${text.trim().replace(' ', 'T')}Z`);
    if (Number.isNaN(wallMs)) return setTrouble('Write a day and a time such as 2026-03-12 14:52:42.');
    const result = await act<{ runId: number }>('make-point', {
      workloadId,
      laneKey: stream.lane,
      atMs: fromLocal(zone, wallMs),
    });
    setTrouble(result.ok ? '' : `${result.refusal.title} ${result.refusal.fields.atMs ?? result.refusal.remedy}`);
    setSaid(result.ok ? `Run ${result.value.runId} makes it.` : '');
    if (result.ok) router.refresh();
  };
  const field = `second-${stream.lane}`;
  return (
    <form
      className="line-form"
      onSubmit={(event) => {
        event.preventDefault();
        void make();
      }}
    >
      <label htmlFor={field} className="t2">
        Second
      </label>
      <input
        id={field}
        size={19}
        maxLength={19}
        value={text}
        aria-invalid={trouble !== ''}
        onChange={(event) => setText(event.target.value)}
      />
      <button type="submit" className="btn small">
        Make a point of it
      </button>
      {said && <span role="status">{said}</span>}
      {trouble && (
        <span className="err" role="alert">
          {trouble}
        </span>
      )}
    </form>
  );
}
