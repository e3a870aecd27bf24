/** Calls of one turn of the event loop go out together: a request costs more than what most calls ask for. */
import type { Call } from '@/connectors/calls';

/** Calls in one request at most, so that who answers is never busy for long with one. */
const MOST = 64;

export interface AskedCall {
  readonly name: string;
  readonly body: unknown;
}
/** What became of one call, in the order in which they were sent. */
export type Answered = { readonly result: unknown } | { readonly error: Error };

interface Waiting extends AskedCall {
  readonly resolve: (result: never) => void;
  readonly reject: (error: Error) => void;
}

/** `send` answers each call of a list, or rejects, which is then the error of them all. */
export function gathered(send: (calls: readonly AskedCall[]) => Promise<readonly Answered[]>): Call {
  let waiting: Waiting[] = [];
  const post = (calls: readonly Waiting[]): Promise<void> =>
    send(calls.map(({ name, body }) => ({ name, body }))).then(
      (answers) =>
        calls.forEach(({ name, resolve, reject }, i) => {
          const answer = answers[i] ?? { error: new Error(`${name} was not answered.`) };
          if ('error' in answer) reject(answer.error);
          else resolve(answer.result as never);
        }),
      (error: unknown) => calls.forEach(({ reject }) => reject(error as Error)),
    );
  const flush = (): void => {
    const calls = waiting;
    waiting = [];
    for (let i = 0; i < calls.length; i += MOST) void post(calls.slice(i, i + MOST));
  };
  return (name, body) =>
    new Promise((resolve, reject) => {
      if (!waiting.length) setImmediate(flush);
      waiting.push({ name, body, resolve, reject });
    });
}
