/** A sounding lying down: water up to the promise, land beyond it. `used` 1 is the limit. */
export function Gauge({ used, width = 150 }: { used: number; width?: number }) {
  const limit = width * 0.66;
  const fill = used > 1 ? 'var(--over-fill)' : 'var(--inside-fill)';
  return (
    <svg width={width} height={16} role="img" aria-label={`${Math.round(used * 100)}% of the limit`}>
      <rect y={2} width={width} height={12} fill="var(--sheet)" />
      <rect x={limit * 0.5} y={2} width={limit * 0.3} height={12} fill="var(--shoal-1)" />
      <rect x={limit * 0.8} y={2} width={limit * 0.2} height={12} fill="var(--shoal-2)" />
      <rect x={limit} y={2} width={width - limit} height={12} fill="var(--land)" />
      <path d={`M${limit} 0v16`} stroke="var(--bed)" strokeWidth={1.6} />
      <path d="M.75 0v16" stroke="var(--ink)" strokeWidth={1.5} />
      <rect x={1.5} y={5.5} width={Math.max(1, Math.min(width - 2, limit * used) - 1.5)} height={5} fill={fill} />
    </svg>
  );
}
