import { Glyph } from '@/ui/glyph';

export interface MapSite {
  readonly id: number;
  readonly name: string;
  readonly x: number;
  readonly y: number;
  readonly workloads: number;
  readonly over: number;
  readonly closing: number;
  readonly silent: boolean;
}
export interface MapLink {
  readonly name: string;
  readonly a: number;
  readonly b: number;
  readonly state: 'up' | 'slow' | 'down';
  readonly factor: number | null;
}

const WIDTH = 356;

export function SiteMap({ sites, links }: { sites: readonly MapSite[]; links: readonly MapLink[] }) {
  const byId = new Map(sites.map((s) => [s.id, s]));
  return (
    <svg
      width={WIDTH}
      height={222}
      role="img"
      aria-label={`${sites.length} sites, ${links.filter((l) => l.state !== 'up').length} links not at full rate`}
    >
      {links.map((link) => {
        const a = byId.get(link.a);
        const b = byId.get(link.b);
        return a && b ? <LinkLine key={link.name} link={link} a={a} b={b} /> : null;
      })}
      {sites.map((site) => (
        <SiteMark key={site.id} site={site} />
      ))}
    </svg>
  );
}

function LinkLine({ link, a, b }: { link: MapLink; a: MapSite; b: MapSite }) {
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1;
  const ux = (b.x - a.x) / length;
  const uy = (b.y - a.y) / length;
  const x = (a.x + b.x) / 2;
  const y = (a.y + b.y) / 2;
  const colour = link.state === 'down' ? 'var(--over)' : link.state === 'slow' ? 'var(--closing)' : 'var(--rule)';
  const word =
    link.state === 'down'
      ? 'down'
      : link.state === 'slow'
        ? `${Math.round((link.factor ?? 0) * 100)}% of its rate`
        : '';
  return (
    <g style={{ color: colour }}>
      <line
        x1={a.x + ux * 10}
        y1={a.y + uy * 10}
        x2={b.x - ux * 10}
        y2={b.y - uy * 10}
        stroke={colour}
        strokeWidth={link.state === 'up' ? 1.2 : 2.5}
        strokeDasharray={link.state === 'up' ? '' : link.state === 'down' ? '2 6' : '7 4'}
      />
      <title>{`${link.name}: ${word || 'at full rate'}`}</title>
      {word && (
        <>
          <g transform={`translate(${x - word.length * 3.2 - 14} ${y - 6})`}>
            <Glyph name={link.state === 'down' ? 'over' : 'closing'} size={10} />
          </g>
          <text
            x={x}
            y={y + 4}
            textAnchor="middle"
            fontSize={12}
            fontWeight={650}
            style={{ fill: colour, paintOrder: 'stroke', stroke: 'var(--paper)', strokeWidth: 6 }}
          >
            {word}
          </text>
        </>
      )}
    </g>
  );
}

function SiteMark({ site }: { site: MapSite }) {
  const leftward = site.x < WIDTH / 2;
  const x = leftward ? site.x - 12 : site.x + 17;
  const anchor = leftward && site.x > 90 ? 'end' : 'start';
  const tx = anchor === 'start' && leftward ? site.x + 17 : x;
  return (
    <g>
      <circle
        cx={site.x}
        cy={site.y}
        r={6.5}
        fill="var(--sheet)"
        stroke={site.silent ? 'var(--over)' : 'var(--ink)'}
        strokeWidth={1.5}
      />
      <circle cx={site.x} cy={site.y} r={2} fill="var(--ink)" />
      <text x={tx} y={site.y - 14} textAnchor={anchor} fontSize={13.5} fontWeight={650}>
        {site.name}
      </text>
      <text x={tx} y={site.y + 2} textAnchor={anchor} fontSize={12} style={{ fill: 'var(--ink-2)' }}>
        {site.workloads} workloads
      </text>
      <text x={tx} y={site.y + 18} textAnchor={anchor} fontSize={12} fontWeight={650}>
        {site.silent && <tspan style={{ fill: 'var(--over)' }}>no answer </tspan>}
        {site.over > 0 && <tspan style={{ fill: 'var(--over)' }}>{site.over} over </tspan>}
        {site.closing > 0 && <tspan style={{ fill: 'var(--closing)' }}>{site.closing} closing</tspan>}
      </text>
    </g>
  );
}
