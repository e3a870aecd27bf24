/** Plays the schedule forward beside the page: takes a packed input, gives the outlook. */
import { outlookOf } from '@/core/forecast/outlook';
import { simulate } from '@/core/forecast/simulate';
import { unpack, type PackedForecast } from '@/core/forecast/wire';
import { HOUR } from '@/core/units';

/** Misses that begin within this are told by name. */
const SOON_MS = 6 * HOUR;

self.onmessage = (event: MessageEvent<PackedForecast>) => {
  const input = unpack(event.data);
  self.postMessage(outlookOf(simulate(input), { fromMs: input.fromMs, toMs: input.toMs, binMs: input.binMs }, SOON_MS));
};
