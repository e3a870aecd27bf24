/** Three-point estimates of a duration (PERT, from memory). Any one unit. */

export interface ThreePoint {
  readonly least: number;
  readonly likely: number;
  readonly most: number;
}

/** Mean and variance as PERT takes them: (o + 4m + p) / 6 and ((p - o) / 6)^2. */
export function pert({ least, likely, most }: ThreePoint): { readonly mean: number; readonly variance: number } {
  return { mean: (least + 4 * likely + most) / 6, variance: ((most - least) / 6) ** 2 };
}

/** Shape and true variance of the beta distribution with the same mean; it differs from PERT's rule of thumb. */
export function betaPert({ least, likely, most }: ThreePoint) {
  const width = most - least;
  const alpha = 1 + (4 * (likely - least)) / width;
  const beta = 1 + (4 * (most - likely)) / width;
  const mean = (least + 4 * likely + most) / 6;
  return { alpha, beta, mean, variance: ((mean - least) * (most - mean)) / 7 };
}
