/** The stand-in: simulated site controllers behind HTTP on loopback, as a real controller would be reached. */
import Fastify, { type FastifyInstance, type FastifyReply } from 'fastify';
import { timingSafeEqual } from 'node:crypto';
import { createPool } from 'mysql2/promise';
import { Journal, type JournalOptions } from '@/standin/journal';
import { Sink } from '@/standin/mail-sink';
import { READ_ONLY, type Controller, type OperationName } from '@/standin/operations';
import { WorldRefusal } from '@/standin/world/refusal';

export interface StandInOptions {
  readonly port: number;
  readonly token: string;
  readonly database: JournalOptions;
  /** Where its mail server listens; null: it has none. */
  readonly mailPort: number | null;
}

const PROBLEM = 'application/problem+json';

/** Starts the stand-in on 127.0.0.1; refuses to start without a world. */
export async function startStandIn(options: StandInOptions): Promise<{ close: () => Promise<void> }> {
  const journal = await Journal.open(options.database);
  const controller = await journal.load();
  if (!controller) throw new Error('The stand-in has no estate yet. Seed the demo first.');
  const pool = createPool({ ...options.database, connectionLimit: 2 });
  const sink = new Sink(pool);
  await sink.prepare();
  const app = routes(controller, journal, sink, options.token);
  if (options.mailPort !== null) await sink.listen(options.mailPort);
  await app.listen({ host: '127.0.0.1', port: options.port });
  return {
    close: async () => {
      await app.close();
      await sink.close();
      await pool.end();
      await journal.flush(controller);
      await journal.close();
    },
  };
}

function routes(controller: Controller, journal: Journal, sink: Sink, token: string): FastifyInstance {
  const app = Fastify({ logger: false, bodyLimit: 4 * 2 ** 20 });
  app.addHook('onRequest', async (request, reply) => {
    if (request.url === '/healthz' || request.url.startsWith('/hooks/')) return;
    const given = Buffer.from(request.headers.authorization ?? '');
    const wanted = Buffer.from(`Bearer ${token}`);
    if (given.length !== wanted.length || !timingSafeEqual(given, wanted))
      await reply.code(401).type(PROBLEM).send({ title: 'Credentials not accepted', status: 401 });
  });
  app.get('/healthz', () => ({ ok: true }));
  app.get('/received', async () => ({ received: await sink.newest(50) }));
  // A receiver of webhooks, open as such are: whoever sends signs.
  app.addContentTypeParser(/^application\/cloudevents\+json/, { parseAs: 'string' }, (_request, body, done) =>
    done(null, body),
  );
  app.post<{ Params: { name: string } }>('/hooks/:name', async (request, reply) => {
    const body = typeof request.body === 'string' ? request.body : JSON.stringify(request.body);
    const signature = String(request.headers['webhook-signature'] ?? 'unsigned');
    await sink.keep('event', `/hooks/${request.params.name}`, signature, body);
    return reply.code(204).send();
  });
  app.post<{ Body: { atMs?: unknown; calls?: unknown } | null }>('/operations', async (request, reply) => {
    const { atMs, calls } = request.body ?? {};
    if (!Number.isSafeInteger(atMs)) return refuse(reply, 'atMs must be an instant in whole milliseconds');
    if (!Array.isArray(calls) || !calls.length || calls.length > MOST_CALLS)
      return refuse(reply, `calls must be a list of 1 to ${MOST_CALLS} calls`);
    const asked = calls.map((call: { name?: unknown; body?: unknown } | null) => call ?? {});
    const answers = asked.map((call) => answerOf(controller, atMs as number, call));
    // What was refused may have changed something before: all of it is durable before anybody hears of it.
    if (asked.some(({ name }) => !READ_ONLY.has(name as OperationName))) await journal.flush(controller);
    return reply.send({ answers });
  });
  return app;
}

/** Calls in one request at most. */
const MOST_CALLS = 256;

const refuse = (reply: FastifyReply, title: string) => reply.code(400).type(PROBLEM).send({ title, status: 400 });

/** One call of several: its result, or the problem that it met. */
function answerOf(
  controller: Controller,
  atMs: number,
  { name, body }: { readonly name?: unknown; readonly body?: unknown },
): object {
  if (typeof name !== 'string' || !Object.hasOwn(controller.operations, name))
    return { problem: { title: `No operation ${String(name)}`, status: 404 } };
  try {
    return { result: controller.call(name as OperationName, atMs, body) };
  } catch (error) {
    if (error instanceof WorldRefusal)
      return { problem: { title: error.message, status: 409, code: error.code, subject: error.subject } };
    // One call that goes wrong must not take the others of its request along.
    console.error(error);
    return { problem: { title: String(error), status: 500, code: 'internal', subject: name } };
  }
}
