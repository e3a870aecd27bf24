/** The part of jstat that is used; the package ships no types. */
declare module 'jstat' {
  export const jStat: {
    readonly beta: {
      inv(p: number, alpha: number, beta: number): number;
      cdf(x: number, alpha: number, beta: number): number;
    };
    readonly normal: {
      cdf(x: number, mean: number, sd: number): number;
      inv(p: number, mean: number, sd: number): number;
    };
  };
}
