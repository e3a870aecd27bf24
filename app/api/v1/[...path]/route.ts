import { answer, jsonBody } from '@/app/answer';
import type { Operation } from '@/app/api/v1/operation';
import { OPERATIONS } from '@/app/api/v1/operations';
import { connected } from '@/app/context';
import { performOnce } from '@/commands/once';
import { Refusal } from '@/commands/refusal';
import { bearerOf } from '@/commands/tokens';

type Route = { params: Promise<{ path: string[] }> };

function serve(request: Request, { params }: Route): Promise<Response> {
  return answer(async () => {
    const { db, clock } = connected();
    const bearer = await bearerOf(db, request.headers.get('authorization'));
    const { operation, path } = find(request.method, (await params).path);
    const key = request.headers.get('idempotency-key');
    const result = await operation.carryOut({
      db,
      nowMs: (await clock.read()).nowMs,
      bearer,
      path,
      query: new URL(request.url).searchParams,
      body: operation.body ? await jsonBody(request) : null,
      perform: (command, input) => performOnce(command, input, { db, clock, ...bearer, key }),
    });
    return Response.json(result, { headers: { 'cache-control': 'no-store' } });
  });
}

/** The operation of a request, and the numbers in its path. */
function find(method: string, parts: readonly string[]): { operation: Operation; path: Record<string, number> } {
  for (const operation of OPERATIONS) {
    if (operation.method !== method.toLowerCase()) continue;
    const path = valuesOf(operation.path.slice(1).split('/'), parts);
    if (path) return { operation, path };
  }
  throw new Refusal('not-found', `There is no ${method} /api/v1/${parts.join('/')}. See /api/v1/openapi.json.`);
}

function valuesOf(pattern: readonly string[], parts: readonly string[]): Record<string, number> | null {
  if (pattern.length !== parts.length) return null;
  const values: Record<string, number> = {};
  for (const [i, part] of pattern.entries()) {
    const given = parts[i] as string;
    if (!part.startsWith('{')) {
      if (part !== given) return null;
    } else if (/^[1-9]\d{0,14}$/.test(given)) values[part.slice(1, -1)] = Number(given);
    else return null;
  }
  return values;
}

export { serve as DELETE, serve as GET, serve as POST };
