/** Site controllers over HTTP. A controller that does not answer in time is an answer: site-no-answer. */
import { errors, Pool } from 'undici';
import { isCauseCode } from '@/core/protect/cause';
import type { EpochMs } from '@/core/units';
import {
  ControllerError,
  type FoundCopy,
  type FoundSnapshot,
  type SiteController,
  type StreamMark,
  type StreamStatus,
  type TransferProgress,
} from '@/connectors/site-controller';

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

export class HttpController implements SiteController {
  private readonly pool: Pool;
  private readonly headers: Readonly<Record<string, string>>;

  constructor(private readonly options: HttpControllerOptions) {
    const { host, port, token, timeoutMs } = options;
    this.headers = { 'content-type': 'application/json', authorization: `Bearer ${token}` };
    this.pool = new Pool(`http://${host}:${port}`, {
      connections: 128,
      connectTimeout: timeoutMs,
      headersTimeout: timeoutMs,
      bodyTimeout: timeoutMs,
    });
  }

  snapshot: SiteController['snapshot'] = (q) => this.call('snapshot', q);
  snapshotTogether: SiteController['snapshotTogether'] = (q) => this.call('snapshotTogether', q);
  readChanges: SiteController['readChanges'] = (q) => this.call('readChanges', q);
  shipDisk: SiteController['shipDisk'] = (q) => this.call('shipDisk', q);
  openStream: SiteController['openStream'] = (q) => this.call('openStream', q);
  markStream: SiteController['markStream'] = async (key, copyKey, atMs) =>
    (await this.call<{ mark: StreamMark | null }>('markStream', { key, copyKey, atMs })).mark;
  closeStream: SiteController['closeStream'] = (key) => this.call('closeStream', { key });
  streams: SiteController['streams'] = async () =>
    (await this.call<{ streams: StreamStatus[] }>('streams', {})).streams;
  throttle: SiteController['throttle'] = (linkId, throttles) => this.call('throttle', { linkId, throttles });
  startTransfer: SiteController['startTransfer'] = (q) => this.call('startTransfer', q);
  startCopy: SiteController['startCopy'] = (q) => this.call('startCopy', q);
  forgetTransfer: SiteController['forgetTransfer'] = (key) => this.call('forgetTransfer', { key });
  progress: SiteController['progress'] = async (keys) =>
    keys.length ? (await this.call<{ transfers: TransferProgress[] }>('progress', { keys })).transfers : [];
  verifyCopy: SiteController['verifyCopy'] = (place, copyKey) => this.call('verifyCopy', { place, copyKey });
  repairCopy: SiteController['repairCopy'] = ({ copyKey, ...place }, from) =>
    this.call('repairCopy', { place, copyKey, from });
  lockCopy: SiteController['lockCopy'] = ({ copyKey, ...place }, untilMs) =>
    this.call('lockCopy', { place, copyKey, untilMs });
  releaseSnapshot: SiteController['releaseSnapshot'] = (snapshotKey) => this.call('releaseSnapshot', { snapshotKey });
  cancelTransfer: SiteController['cancelTransfer'] = (key) => this.call('cancelTransfer', { key });
  deleteCopies: SiteController['deleteCopies'] = (copies) => this.call('deleteCopies', { copies });
  inventory: SiteController['inventory'] = async (place) =>
    (await this.call<{ copies: FoundCopy[] }>('inventory', { place })).copies;
  snapshots: SiteController['snapshots'] = async () =>
    (await this.call<{ snapshots: FoundSnapshot[] }>('snapshots', {})).snapshots;
  clone: SiteController['clone'] = (q) => this.call('clone', q);
  boot: SiteController['boot'] = (cloneKey) => this.call('boot', { cloneKey });
  check: SiteController['check'] = (cloneKey, check) => this.call('check', { cloneKey, check });
  contentDigest: SiteController['contentDigest'] = async (cloneKey) =>
    (await this.call<{ digest: string }>('contentDigest', { cloneKey })).digest;
  removeClone: SiteController['removeClone'] = (cloneKey) => this.call('removeClone', { cloneKey });
  status: SiteController['status'] = () => this.call('status', {});

  close(): void {
    void this.pool.destroy();
  }

  /** One operation. Refusals become ControllerError; silence becomes site-no-answer. */
  async call<T>(operation: string, body: unknown): Promise<T> {
    const answer = await this.post(`/operations/${operation}`, { atMs: this.options.nowMs(), body });
    if (answer.status < 300) return JSON.parse(answer.text) as T;
    const problem = parseProblem(answer.text);
    const code = problem.code && isCauseCode(problem.code) ? problem.code : 'internal';
    throw new ControllerError({
      code,
      subject: problem.subject ?? operation,
      detail: problem.title ?? `HTTP ${answer.status}`,
    });
  }

  private async post(path: string, body: unknown): Promise<{ status: number; text: string }> {
    try {
      const sent = { path, method: 'POST', headers: this.headers, body: JSON.stringify(body) } as const;
      const answer = await this.pool.request(sent);
      return { status: answer.statusCode, text: await answer.body.text() };
    } catch (error) {
      const { host, port, timeoutMs } = this.options;
      const late = error instanceof errors.HeadersTimeoutError || error instanceof errors.BodyTimeoutError;
      const detail = late ? `No answer within ${timeoutMs / 1000} s.` : String((error as Error).message);
      throw new ControllerError({ code: 'site-no-answer', subject: `controller ${host}:${port}`, detail });
    }
  }
}

function parseProblem(text: string): Problem {
  try {
    return JSON.parse(text) as Problem;
  } catch {
    return { title: text.slice(0, 200) };
  }
}

/** The client that the environment names, with an instant of the fleet. */
export function controllerFromEnvironment(
  env: NodeJS.ProcessEnv,
  nowMs: () => EpochMs,
  timeoutMs = 10_000,
): HttpController {
  const { ANCHOR_STANDIN_PORT: port, ANCHOR_STANDIN_TOKEN: token = '' } = env;
  return new HttpController({ host: '127.0.0.1', port: Number(port), token, timeoutMs, nowMs });
}
