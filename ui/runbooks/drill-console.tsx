'use client';
import { useEffect, useRef } from 'react';
import { clock } from '@/ui/format';
import { useFrame } from '@/ui/frame/frame-context';

/** What the drill says, as it goes. Scrolls along while it is live. */
export function DrillConsole({
  lines,
  live,
}: {
  lines: ReadonlyArray<{ readonly id: number; readonly atMs: number; readonly text: string }>;
  live: boolean;
}) {
  const { zone } = useFrame();
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (live) box.current?.scrollTo({ top: box.current.scrollHeight });
  }, [lines.length, live]);
  return (
    <section className="section">
      <h2>Console</h2>
      <div className="console" ref={box} role="log" tabIndex={0} aria-label="Drill console">
        {lines.length === 0 && <div className="t2">Waiting for an engine to take it up …</div>}
        {lines.map((line) => (
          <div key={line.id}>
            <span className="t3">{clock(line.atMs, zone)}</span> {line.text}
          </div>
        ))}
      </div>
    </section>
  );
}
