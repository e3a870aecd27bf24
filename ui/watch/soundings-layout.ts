/** Geometry of Soundings: bars hang from the waterline, linear inside each tier, beds stepped so that the tiers show. */

export interface Sounding {
  readonly id: number;
  readonly label: string;
  readonly application: string;
  readonly tier: number;
  readonly site: string;
  readonly rpoMs: number;
  readonly exposureMs: number | null;
  readonly medianMs: number | null;
  readonly standing: 'inside' | 'closing' | 'over';
  readonly unproven: boolean;
  readonly takenMs: number | null;
  readonly overAtMs: number | null;
  readonly provenMs: number | null;
  readonly members: number;
  readonly over: number;
  readonly workloadIds: readonly number[];
}
export interface Bar {
  readonly sounding: Sounding;
  readonly x: number;
  readonly width: number;
  readonly height: number;
  readonly medianHeight: number | null;
  /** Past the floor: cut with a double slash. */
  readonly cut: boolean;
  readonly tierIndex: number;
}
export interface TierBlock {
  readonly tier: number;
  readonly rpoMs: number;
  readonly x0: number;
  readonly x1: number;
  /** Depth of the bed below the waterline. */
  readonly bed: number;
  readonly workloads: number;
  readonly sites: ReadonlyArray<{ readonly name: string; readonly x0: number; readonly x1: number }>;
}
export interface Layout {
  readonly bars: readonly Bar[];
  readonly blocks: readonly TierBlock[];
}

const STEPS = [0.5, 0.6, 0.7, 0.8];
const WEIGHTS = [1.32, 1.06, 0.95, 0.9];
const GAP = 18;
const SITE_GAP = 4;
const WIDEST = 8;

/**
 * @param depth pixels from the waterline to the floor
 * @param order 'site' keeps the order given (tier, site, application); 'longest' sorts each tier by exposure
 */
export function layoutSoundings(
  soundings: readonly Sounding[],
  width: number,
  depth: number,
  order: 'site' | 'longest',
): Layout {
  const tiers = [...new Set(soundings.map((s) => s.tier))].sort((a, b) => a - b);
  const lists = tiers.map((tier) =>
    sorted(
      soundings.filter((s) => s.tier === tier),
      order,
    ),
  );
  const breaks = order === 'site' ? lists.reduce((sum, list) => sum + new Set(list.map((s) => s.site)).size - 1, 0) : 0;
  const weight = (i: number) => WEIGHTS[i] ?? 0.9;
  const total = lists.reduce((sum, list, i) => sum + list.length * weight(i), 0);
  const room = width - GAP * Math.max(0, tiers.length - 1) - SITE_GAP * breaks;
  const unit = Math.min(total > 0 ? room / total : 0, WIDEST / 0.68);
  const bars: Bar[] = [];
  const blocks: TierBlock[] = [];
  let x = 0;
  lists.forEach((list, i) => {
    const pitch = unit * weight(i);
    const barWidth = Math.max(1, Math.min(WIDEST, pitch * 0.68));
    const bed = (STEPS[i] ?? 0.8) * depth;
    const x0 = x;
    const sites: Array<{ name: string; x0: number; x1: number }> = [];
    list.forEach((s, k) => {
      if (order === 'site' && k > 0 && s.site !== list[k - 1]?.site) x += SITE_GAP;
      const last = sites.at(-1);
      if (last?.name === s.site) last.x1 = x + pitch;
      else sites.push({ name: s.site, x0: x, x1: x + pitch });
      const height = (ms: number | null) => (ms === null ? depth : (ms / s.rpoMs) * bed);
      const full = height(s.exposureMs);
      bars.push({
        sounding: s,
        x: x + barWidth / 2,
        width: barWidth,
        height: Math.max(2, Math.min(full, depth - 6)),
        cut: full > depth - 6,
        tierIndex: i,
        medianHeight: s.medianMs === null ? null : Math.min(height(s.medianMs), depth - 6),
      });
      x += pitch;
    });
    blocks.push({
      tier: tiers[i] as number,
      rpoMs: list[0]?.rpoMs ?? 0,
      x0,
      x1: x,
      bed,
      workloads: list.reduce((sum, s) => sum + s.members, 0),
      sites: order === 'site' ? sites : [],
    });
    x += GAP;
  });
  return { bars, blocks };
}

function sorted(list: Sounding[], order: 'site' | 'longest'): Sounding[] {
  return order === 'site' ? list : list.sort((a, b) => (b.exposureMs ?? Infinity) - (a.exposureMs ?? Infinity));
}

/** The outline of a share of the limit over all tiers, stepping smoothly from bed to bed. */
export function bedPath(blocks: readonly TierBlock[], share: number, top: number, left: number, right: number): string {
  let path = '';
  blocks.forEach((block, i) => {
    const y = top + block.bed * share;
    const from = i === 0 ? left : block.x0 - 2;
    const next = blocks[i + 1];
    const to = next ? block.x1 + 2 : right;
    path += i === 0 ? `M${from} ${y}` : '';
    path += `L${to} ${y}`;
    if (!next) return;
    const yn = top + next.bed * share;
    const middle = (to + next.x0 - 2) / 2;
    path += `C${middle} ${y} ${middle} ${yn} ${next.x0 - 2} ${yn}`;
  });
  return path;
}

export interface Label {
  readonly x: number;
  readonly y: number;
  readonly standing: 'over' | 'closing';
  readonly head: string;
  readonly tail: string;
}

/** One label for each tier, site and state that is not well, placed on the land and away from each other. */
export function placeLabels(
  layout: Layout,
  width: number,
  top: number,
  floor: number,
  words: { over: (ms: number) => string; at: (ms: number) => string },
): Label[] {
  const groups = new Map<string, Bar[]>();
  for (const bar of layout.bars) {
    if (bar.sounding.standing === 'inside') continue;
    const key = `${bar.tierIndex}/${bar.sounding.site}/${bar.sounding.standing}`;
    groups.set(key, [...(groups.get(key) ?? []), bar]);
  }
  const taken: Array<{ x0: number; x1: number; y: number }> = [];
  const found: Label[] = [];
  for (const group of worstFirst([...groups.values()])) {
    const label = labelOf(group, words);
    const textWidth = Math.max(label.head.length * 6.3 + 18, label.tail.length * 5.8 + 16);
    const last = group.at(-1) as Bar;
    const first = group[0] as Bar;
    const right = clearOf(layout, last.x + 8, textWidth);
    const x = right + textWidth > width ? Math.max(0, first.x - 8 - textWidth) : right;
    const beds = layout.blocks.filter((b) => b.x0 - GAP < x + textWidth && b.x1 + GAP > x).map((b) => b.bed);
    let y = top + Math.max(...beds) + 18;
    while (taken.some((t) => Math.abs(t.y - y) < 32 && x < t.x1 && x + textWidth > t.x0)) y += 34;
    if (y + 15 > floor) continue;
    taken.push({ x0: x, x1: x + textWidth, y });
    found.push({ ...label, x, y });
  }
  return found;
}

/** The first place from `x` to the right where no bar that has crossed its bed runs through the text. */
function clearOf(layout: Layout, x: number, textWidth: number): number {
  const crossing = layout.bars.filter((b) => b.height > (layout.blocks[b.tierIndex]?.bed ?? 0));
  for (const bar of crossing) if (bar.x > x - 6 && bar.x < x + textWidth) x = bar.x + 8;
  return x;
}

/** Misses get their place before what is only closing. */
function worstFirst(groups: Bar[][]): Bar[][] {
  const isOver = (group: Bar[]) => group[0]?.sounding.standing === 'over';
  return [...groups.filter(isOver), ...groups.filter((group) => !isOver(group))];
}

function labelOf(
  group: readonly Bar[],
  words: { over: (ms: number) => string; at: (ms: number) => string },
): Omit<Label, 'x' | 'y'> {
  const standing = group[0]?.sounding.standing === 'over' ? 'over' : 'closing';
  const grouped = group.some((b) => b.sounding.members > 1);
  const over = group.reduce((sum, b) => sum + b.sounding.over, 0);
  const members = group.reduce((sum, b) => sum + b.sounding.members, 0);
  const names = group.map((b) => b.sounding.label).join(', ');
  const head =
    grouped && standing === 'over'
      ? `${over} of ${members} over`
      : group.length <= 2
        ? names
        : `${group.length} ${standing}`;
  if (standing === 'closing') {
    const soonest = Math.min(...group.map((b) => b.sounding.overAtMs ?? Infinity));
    return {
      standing,
      head: group.length <= 2 && !grouped ? names : `${group.length} closing`,
      tail: `${group.length > 1 ? 'first ' : ''}over at ${words.at(soonest)}`,
    };
  }
  if (group.some((b) => b.sounding.exposureMs === null)) return { standing, head, tail: 'no usable point at all' };
  const by = group.map((b) => (b.sounding.exposureMs ?? 0) - b.sounding.rpoMs);
  const [least, most] = [words.over(Math.min(...by)), words.over(Math.max(...by))];
  return { standing, head, tail: least === most ? `over by ${most}` : `over by ${least} to ${most}` };
}
