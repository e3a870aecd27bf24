/** Site controllers over HTTP. A controller that does not answer in time is an answer: site-no-answer. */
import { errors, Pool } from 'undici';
import { isCauseCode } from '@/core/protect/cause';
import type { EpochMs } from '@/core/units';
import { controllerOver, type Call } from '@/connectors/calls';
import { gathered, type Answered, type AskedCall } from '@/connectors/gathered-calls';
import { ControllerError, type SiteController } from '@/connectors/site-controller';

export interface HttpControllerOptions {
  readonly host: string;
  readonly port: number;
  readonly token: string;
  /** Longest wait for one answer, in ms of real time. */
  readonly timeoutMs: number;
  /** The instant of the fleet, sent along so that a simulated controller agrees with the engine. */
  readonly nowMs: () => EpochMs;
}

interface Problem {
  readonly title?: string;
  readonly code?: string;
  readonly subject?: string;
}
/** What is said of one call: its result, or why it was refused. */
interface Told {
  readonly result?: unknown;
  readonly problem?: Problem;
}

/** The port, any operation by its name, and the end of its connections. */
export type HttpController = SiteController & { readonly call: Call; readonly close: () => void };

/** Refusals become ControllerError; silence becomes site-no-answer. */
export function httpController(options: HttpControllerOptions): HttpController {
  const { host, port, token, timeoutMs, nowMs } = options;
  const headers = { 'content-type': 'application/json', authorization: `Bearer ${token}` };
  const pool = new Pool(`http://${host}:${port}`, {
    connections: 32,
    connectTimeout: timeoutMs,
    headersTimeout: timeoutMs,
    bodyTimeout: timeoutMs,
  });

  async function post(body: unknown): Promise<{ readonly status: number; readonly text: string }> {
    try {
      const answer = await pool.request({ path: '/operations', method: 'POST', headers, body: JSON.stringify(body) });
      return { status: answer.statusCode, text: await answer.body.text() };
    } catch (error) {
      const late = error instanceof errors.HeadersTimeoutError || error instanceof errors.BodyTimeoutError;
      const detail = late ? `No answer within ${timeoutMs / 1000} s.` : String((error as Error).message);
      throw new ControllerError({ code: 'site-no-answer', subject: `controller ${host}:${port}`, detail });
    }
  }

  async function send(calls: readonly AskedCall[]): Promise<readonly Answered[]> {
    const { status, text } = await post({ atMs: nowMs(), calls });
    const subject = calls
      .map((call) => call.name)
      .join(', ')
      .slice(0, 60);
    const told = answersOf(text);
    if (status >= 300 || !told) throw refusalOf(problemOf(text), subject, status);
    return told.map(({ result, problem }, i) =>
      problem ? { error: refusalOf(problem, calls[i]?.name ?? subject, status) } : { result },
    );
  }

  const call = gathered(send);
  return { ...controllerOver(call), call, close: () => void pool.destroy() };
}

function refusalOf(problem: Problem, subject: string, status: number): ControllerError {
  const code = problem.code && isCauseCode(problem.code) ? problem.code : 'internal';
  return new ControllerError({
    code,
    subject: problem.subject ?? subject,
    detail: problem.title ?? `HTTP ${status}`,
  });
}

function answersOf(text: string): readonly Told[] | null {
  const { answers } = parsed(text) as { answers?: readonly Told[] };
  return Array.isArray(answers) ? answers : null;
}

function problemOf(text: string): Problem {
  const problem = parsed(text) as Problem;
  return problem.title === undefined ? { ...problem, ...(text ? { title: text.slice(0, 200) } : {}) } : problem;
}

function parsed(text: string): object {
  try {
    return (JSON.parse(text) as object | null) ?? {};
  } catch {
    return {};
  }
}

/** The client that the environment names, with an instant of the fleet. */
export function controllerFromEnvironment(
  env: NodeJS.ProcessEnv,
  nowMs: () => EpochMs,
  timeoutMs = 10_000,
): HttpController {
  const { ANCHOR_STANDIN_PORT: port, ANCHOR_STANDIN_TOKEN: token = '' } = env;
  return httpController({ host: '127.0.0.1', port: Number(port), token, timeoutMs, nowMs });
}
