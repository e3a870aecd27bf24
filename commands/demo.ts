/** What only the demo has: its clock, and faults in the stand-in. Refused wherever the clock is the system's. */
import { mixed, number, object, string } from 'yup';
import { controllerFromEnvironment } from '@/connectors/http-controller';
import { ControllerError } from '@/connectors/site-controller';
import { FAULT_KINDS, type FaultKind } from '@/core/protect/fault';
import { nextEventMs } from '@/store/next-event';
import { command, type Deed } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { asDemoClock, type DemoClock } from '@/store/clock';

const RATES = [0, 1, 60, 300] as const;
const JUMPS = [15 * 60_000, 3_600_000, 2 * 3_600_000] as const;

function demoClock(deed: Deed): DemoClock {
  const clock = asDemoClock(deed.clock);
  if (!clock) throw new Refusal('not-found', 'Only the demo has this.');
  return clock;
}

export const setRate = command({
  name: 'set-clock-rate',
  least: 'operator',
  input: object({ rate: number().required().oneOf(RATES, 'The clock runs at 0, 1, 60 or 300 times.') }),
  run: async ({ rate }, deed) => {
    await demoClock(deed).setRate(rate);
    return { result: { rate }, subject: 'clock', detail: { rate } };
  },
});

export const jump = command({
  name: 'jump-clock',
  least: 'operator',
  input: object({
    byMs: number()
      .nullable()
      .defined()
      .oneOf([...JUMPS, null], 'Jump by 15 min, 1 h or 2 h, or to the next event.'),
  }),
  run: async ({ byMs }, deed) => {
    const clock = demoClock(deed);
    const to = byMs === null ? await nextEventMs(deed.db, deed.nowMs) : deed.nowMs + byMs;
    if (!(await clock.requestJump(to))) throw new Refusal('conflict', 'A jump is under way.');
    return { result: { toMs: to }, subject: 'clock', detail: { toMs: to } };
  },
});

async function standIn(deed: Deed, operation: string, body: unknown): Promise<void> {
  demoClock(deed);
  const controller = controllerFromEnvironment(process.env, () => deed.nowMs, 5_000);
  try {
    await controller.call(operation, body);
  } catch (error) {
    if (error instanceof ControllerError) throw new Refusal('no-answer', error.message);
    throw error;
  } finally {
    controller.close();
  }
}

const fault = {
  kind: mixed<FaultKind>()
    .oneOf([...FAULT_KINDS], 'Is no kind of fault.')
    .required(),
  subject: string().required().max(80),
};

export const setFault = command({
  name: 'set-fault',
  least: 'operator',
  input: object({ ...fault, factor: number().min(0.01).max(0.99) }),
  run: async (input, deed) => {
    await standIn(deed, 'setFault', input);
    return { result: {}, subject: input.subject, detail: { fault: input.kind } };
  },
});

export const clearFault = command({
  name: 'clear-fault',
  least: 'operator',
  input: object(fault),
  run: async (input, deed) => {
    await standIn(deed, 'clearFault', input);
    return { result: {}, subject: input.subject, detail: { fault: input.kind } };
  },
});

export interface ReceivedLetter {
  readonly id: number;
  readonly kind: 'mail' | 'event';
  readonly target: string;
  readonly subject: string;
  readonly body: string;
}

/** What the stand-in's mail server and webhook receiver took in, the newest first; null: it does not answer. */
export async function receivedByStandIn(): Promise<readonly ReceivedLetter[] | null> {
  try {
    const answer = await fetch(`http://127.0.0.1:${process.env.ANCHOR_STANDIN_PORT}/received`, {
      headers: { authorization: `Bearer ${process.env.ANCHOR_STANDIN_TOKEN ?? ''}` },
      signal: AbortSignal.timeout(2_000),
    });
    return answer.ok ? ((await answer.json()) as { received: ReceivedLetter[] }).received : null;
  } catch {
    return null;
  }
}
