/** One figure of the bench, printed as one JSON line. */
export interface Figure {
  readonly name: string;
  readonly n: number;
  readonly value: number;
  readonly unit: string;
  readonly better: 'lower' | 'higher';
  readonly target?: number;
  /** What it is compared with, and how many times better it is than that, in the same run. */
  readonly peer?: string;
  readonly ratio?: number;
}

export function print(figure: Figure): void {
  const ok =
    figure.target === undefined
      ? {}
      : { ok: figure.better === 'lower' ? figure.value <= figure.target : figure.value >= figure.target };
  const ratio = figure.ratio === undefined ? {} : { ratio: round(figure.ratio) };
  console.log(JSON.stringify({ ...figure, value: round(figure.value), ...ratio, ...ok }));
}

/** Four significant digits: what a bench can say. */
function round(value: number): number {
  return Number(value.toPrecision(4));
}
