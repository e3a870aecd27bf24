/** Status glyphs: one silhouette each, legible at 12 px in one colour; never shown without a word nearby. */
const SHAPES = {
  inside: <circle cx="6" cy="6" r="4.6" fill="currentColor" />,
  closing: <path d="M.7 1.6h10.6L6 11z" fill="currentColor" />,
  over: (
    <path
      fill="currentColor"
      fillRule="evenodd"
      d="M.8.8h10.4v10.4H.8zM3.7 2.6 2.6 3.7 4.9 6 2.6 8.3l1.1 1.1L6 7.1l2.3 2.3 1.1-1.1L7.1 6l2.3-2.3-1.1-1.1L6 4.9z"
    />
  ),
  unproven: <rect x="3.6" y=".9" width="4.8" height="10.2" fill="none" stroke="currentColor" strokeWidth="1.5" />,
  held: <path d="M2.4 1.2h2.6v9.6H2.4zM7 1.2h2.6v9.6H7z" fill="currentColor" />,
  passed: <path d="M6 .2 11.8 6 6 11.8.2 6z" fill="currentColor" />,
  failed: (
    <>
      <path d="M6 1 11 6 6 11 1 6z" fill="none" stroke="currentColor" strokeWidth="1.4" />
      <path d="M4.2 4.2 7.8 7.8M7.8 4.2 4.2 7.8" stroke="currentColor" strokeWidth="1.4" />
    </>
  ),
  booked: <path d="M6 1 11 6 6 11 1 6z" fill="none" stroke="currentColor" strokeWidth="1.4" />,
  lock: (
    <path d="M2 5.4h8v5.4H2zM3.9 5V3.4a2.1 2.1 0 0 1 4.2 0V5" fill="none" stroke="currentColor" strokeWidth="1.4" />
  ),
} as const;
export type GlyphName = keyof typeof SHAPES;

export function Glyph({ name, size = 12 }: { name: GlyphName; size?: number }) {
  return (
    <svg className="g" width={size} height={size} viewBox="0 0 12 12" aria-hidden="true">
      {SHAPES[name]}
    </svg>
  );
}

const STANDING_WORDS = { inside: 'Inside', closing: 'Closing', over: 'Over RPO' } as const;

export function StandingMark({ standing }: { standing: keyof typeof STANDING_WORDS }) {
  return (
    <span className={`st s-${standing}`}>
      <Glyph name={standing} size={11} /> {STANDING_WORDS[standing]}
    </span>
  );
}

/** Glyph, colour class and word of a drill's outcome. */
export function OutcomeMark({ state }: { state: string }) {
  const name: GlyphName = state === 'passed' ? 'passed' : state === 'failed' ? 'failed' : 'booked';
  return (
    <span className={`st ${state === 'passed' ? 's-proof' : state === 'failed' ? 's-over' : ''}`}>
      <Glyph name={name} /> {state}
    </span>
  );
}
