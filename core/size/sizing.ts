/**
 * How much of everything a set of workloads needs, before anything is deployed. Every answer names the formula in words
 * and the input that dominates: the one that, ten per cent larger, moves the answer most.
 */
import { capacityForBuffer, profileBacklog } from '@/core/flow/backlog';

export interface Answer {
  readonly value: number;
  readonly unit: 'pieces' | 'bytes' | 'bytes/s';
  /** The formula in words. */
  readonly formula: string;
  readonly dominant: string;
}

/** Value of a formula with its dominant input found by trying. O(inputs). */
function answer<K extends string>(
  inputs: Readonly<Record<K, number>>,
  unit: Answer['unit'],
  formula: string,
  compute: (inputs: Readonly<Record<K, number>>) => number,
): Answer {
  const value = compute(inputs);
  let dominant = '';
  let most = 0;
  for (const name of Object.keys(inputs) as K[]) {
    const moved = Math.abs(compute({ ...inputs, [name]: inputs[name] * 1.1 }) - value);
    if (moved > most) [most, dominant] = [moved, name];
  }
  return { value: unit === 'pieces' ? Math.ceil(value - 1e-9) : value, unit, formula, dominant };
}

/** Data movers for copies that must be through in a window. */
export function movers(inputs: {
  readonly 'changed bytes in the window': number;
  readonly 'seconds of the window': number;
  readonly 'bytes a second of a stream': number;
  readonly 'streams of a mover': number;
}): Answer {
  return answer(
    inputs,
    'pieces',
    'changed bytes / (seconds of the window x bytes a second of a stream x streams of a mover), rounded up',
    (i) =>
      i['changed bytes in the window'] /
      (i['seconds of the window'] * i['bytes a second of a stream'] * i['streams of a mover']),
  );
}

/** Replication appliances: by machines and by what they write, whichever asks for more. */
export function appliances(inputs: {
  readonly 'protected machines': number;
  readonly 'machines an appliance takes': number;
  readonly 'bytes written a second': number;
  readonly 'bytes a second an appliance takes': number;
}): Answer {
  return answer(
    inputs,
    'pieces',
    'the larger of machines / machines an appliance takes and bytes written / bytes an appliance takes, rounded up',
    (i) =>
      Math.max(
        i['protected machines'] / i['machines an appliance takes'],
        i['bytes written a second'] / i['bytes a second an appliance takes'],
      ),
  );
}

/** Journal from which any second of a span can be had. */
export function journal(inputs: {
  readonly 'bytes written a second': number;
  readonly 'seconds to go back': number;
  readonly 'share left after compression': number;
  readonly 'share of room to spare': number;
}): Answer {
  return answer(
    inputs,
    'bytes',
    'bytes written a second x seconds to go back x share left after compression x (1 + share to spare)',
    (i) =>
      i['bytes written a second'] *
      i['seconds to go back'] *
      i['share left after compression'] *
      (1 + i['share of room to spare']),
  );
}

/** Staging buffer for a day's profile of writes against a line, both in bytes an hour, over some days. */
export function stagingBuffer(profile: readonly number[], lineBytesAnHour: number, days = 7): Answer {
  const inputs = { 'writes of the profile': 1, 'rate of the line': lineBytesAnHour };
  return answer(
    inputs,
    'bytes',
    'the most that waits while writes come faster than the line takes them',
    (i) =>
      profileBacklog(
        profile.map((amount) => amount * i['writes of the profile']),
        i['rate of the line'],
        days,
      ).most,
  );
}

/** Line that a buffer needs for a profile of writes. */
export function lineForBuffer(profile: readonly number[], bufferBytes: number): Answer {
  const inputs = { 'writes of the profile': 1, 'bytes of the buffer': bufferBytes };
  return answer(
    inputs,
    'bytes/s',
    'over every stretch of hours: (writes - buffer) / hours, and never below the mean',
    (i) =>
      capacityForBuffer(
        profile.map((amount) => amount * i['writes of the profile']),
        i['bytes of the buffer'],
      ) / 3600,
  );
}

/** Repository: one full copy of everything and the changes of all further points, after deduplication and compression. */
export function repository(inputs: {
  readonly 'bytes protected': number;
  readonly 'share that changes between points': number;
  readonly 'points kept': number;
  readonly 'share left after deduplication and compression': number;
  readonly 'share of room to spare': number;
}): Answer {
  return answer(
    inputs,
    'bytes',
    'bytes x (1 + share that changes x (points kept - 1)) x share left x (1 + share to spare)',
    (i) =>
      i['bytes protected'] *
      (1 + i['share that changes between points'] * Math.max(0, i['points kept'] - 1)) *
      i['share left after deduplication and compression'] *
      (1 + i['share of room to spare']),
  );
}
