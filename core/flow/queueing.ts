/**
 * Mean times at a shared line or a queue (Kleinrock, Queueing Systems I and II, from memory). Times in one unit,
 * arrivals a unit of time. Everything is Infinity from a load of 1 on.
 */

export interface MeanTimes {
  /** Share of time that the server is busy. */
  readonly load: number;
  /** From arrival to completion. */
  readonly time: number;
  /** Present at one time (Little: arrivals x time). */
  readonly present: number;
}

/**
 * A line shared equally by all who use it (M/G/1 processor sharing): E[T] = E[S] / (1 - load), whatever the
 * distribution of sizes; one of size x takes x / (1 - load).
 */
export function sharedLine(arrivals: number, meanService: number): MeanTimes {
  return meanTimes(arrivals, meanService, (load) => meanService / (1 - load));
}

/**
 * One after another (M/G/1, first come first served; Pollaczek and Khinchine): the wait grows with the spread of sizes.
 *
 * @param cv2 squared coefficient of variation of the service time: 0 equal sizes, 1 exponential
 */
export function oneByOne(arrivals: number, meanService: number, cv2: number): MeanTimes {
  return meanTimes(arrivals, meanService, (load) => meanService * (1 + (load * (1 + cv2)) / (2 * (1 - load))));
}

function meanTimes(arrivals: number, meanService: number, timeAt: (load: number) => number): MeanTimes {
  const load = arrivals * meanService;
  const time = load < 1 ? timeAt(load) : Infinity;
  return { load, time, present: arrivals * time };
}
