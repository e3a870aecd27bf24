import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { httpController, type HttpController } from '@/connectors/http-controller';
import { ControllerError } from '@/connectors/site-controller';

type Answer = (request: IncomingMessage, body: string, response: ServerResponse) => void;
let server: Server | null = null;
let controller: HttpController;

/** A real server on loopback that answers as it is told. */
async function serve(answer: Answer): Promise<void> {
  server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => answer(request, body, response));
  });
  await new Promise<void>((resolve) => server?.listen(0, '127.0.0.1', () => resolve()));
  connect((server.address() as AddressInfo).port);
}
function connect(port: number): void {
  controller = httpController({ host: '127.0.0.1', port, token: 'secret', timeoutMs: 200, nowMs: () => 1234 });
}
afterEach(async () => {
  controller.close();
  server?.closeAllConnections();
  await new Promise<void>((resolve) => (server ? server.close(() => resolve()) : resolve()));
  server = null;
});

async function failure(work: Promise<unknown>): Promise<ControllerError> {
  const error: unknown = await work.then(
    () => null,
    (caught: unknown) => caught,
  );
  expect(error).toBeInstanceOf(ControllerError);
  return error as ControllerError;
}

test('a request carries its operation, the instant of the fleet and the credentials', async () => {
  const seen: unknown[] = [];
  await serve((request, body, response) => {
    seen.push(request.method, request.url, request.headers.authorization, JSON.parse(body));
    response.end('{"answers":[{"result":{"takenMs":7}}]}');
  });
  const asked = { key: 's1', workloadId: 3, consistency: 'application' as const };
  expect(await controller.snapshot(asked)).toEqual({ takenMs: 7 });
  const body = { atMs: 1234, calls: [{ name: 'snapshot', body: asked }] };
  expect(seen).toEqual(['POST', '/operations', 'Bearer secret', body]);
});

test('calls of one turn go together, each with its own answer or refusal; more than 64 go in two requests', async () => {
  const sizes: number[] = [];
  await serve((_request, body, response) => {
    const { calls } = JSON.parse(body) as { calls: Array<{ body: { key: string } }> };
    sizes.push(calls.length);
    const answers = calls.map(({ body: { key } }) =>
      key === 's1'
        ? { problem: { code: 'host-lost', subject: 'ost-c1', title: 'No hosts.' } }
        : { result: { takenMs: Number(key.slice(1)) } },
    );
    response.end(JSON.stringify({ answers }));
  });
  const ask = (i: number) => controller.snapshot({ key: `s${i}`, workloadId: 3, consistency: 'crash' });
  const told = await Promise.allSettled(Array.from({ length: 70 }, (_, i) => ask(i)));
  expect(sizes.sort((a, b) => a - b)).toEqual([6, 64]);
  expect(told.flatMap((t) => (t.status === 'fulfilled' ? [t.value.takenMs] : []))).toEqual(
    Array.from({ length: 70 }, (_, i) => i).filter((i) => i !== 1),
  );
  expect((told[1] as PromiseRejectedResult).reason).toMatchObject({ code: 'host-lost', subject: 'ost-c1' });
});

test('a call that an answer says nothing of is not taken for done', async () => {
  await serve((_request, _body, response) => response.end('{"answers":[]}'));
  await expect(controller.cancelTransfer('c1')).rejects.toThrow('cancelTransfer was not answered.');
});

test('asking about no transfer asks nobody', async () => {
  connect(1);
  expect(await controller.progress([])).toEqual([]);
});

test.each<[string, number, string, string, string]>([
  [
    'a cause of the catalogue',
    409,
    '{"code":"repository-full","subject":"mil-r1","title":"No space left."}',
    'repository-full',
    'mil-r1',
  ],
  ['a cause that nobody knows', 409, '{"code":"tired","subject":"x","title":"No."}', 'internal', 'x'],
  ['no JSON at all', 500, '<html>oops</html>', 'internal', 'status'],
  ['nothing', 503, '', 'internal', 'status'],
])('a refusal with %s', async (_name, status, text, code, subject) => {
  await serve((_request, _body, response) => response.writeHead(status).end(text));
  const error = await failure(controller.status());
  expect([error.code, error.subject]).toEqual([code, subject]);
  expect(error.remedy.length).toBeGreaterThan(10);
});

test('silence is an answer: no server, no reply in time, and a reply that breaks off', async () => {
  await serve(() => undefined);
  expect(await failure(controller.status())).toMatchObject({ code: 'site-no-answer', retryable: true });
  controller.close();
  server?.closeAllConnections();
  await new Promise<void>((resolve) => server?.close(() => resolve()));
  expect((await failure(controller.status())).code).toBe('site-no-answer');
  await serve((_request, _body, response) => {
    response.writeHead(200, { 'content-length': 100 });
    response.write('{"half');
    setTimeout(() => response.destroy(), 20);
  });
  expect((await failure(controller.status())).code).toBe('site-no-answer');
});
