/** The part of jstat that is used; the package ships no types. */
declare module 'jstat' {
  const jstat: {
    readonly jStat: {
      readonly beta: { inv(p: number, alpha: number, beta: number): number };
      readonly normal: {
        cdf(x: number, mean: number, sd: number): number;
        inv(p: number, mean: number, sd: number): number;
      };
    };
  };
  export default jstat;
}
