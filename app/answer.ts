/** Answers of routes: JSON, or problem details (RFC 9457, from memory) for a refusal. */
import { Refusal } from '@/commands/refusal';

export function problem(refusal: Refusal): Response {
  const { code, status, message, remedy, fields } = refusal;
  return Response.json(
    { type: `urn:anchor-bay:${code}`, title: message, status, detail: remedy, fields },
    { status, headers: { 'content-type': 'application/problem+json' } },
  );
}

/** Largest request body, in bytes. */
const MAX_BODY = 64 * 1024;

export async function jsonBody(request: Request): Promise<unknown> {
  if (Number(request.headers.get('content-length') ?? 0) > MAX_BODY)
    throw new Refusal('bad-input', 'The request is larger than 64 KiB.');
  const text = await request.text();
  if (text.length > MAX_BODY) throw new Refusal('bad-input', 'The request is larger than 64 KiB.');
  try {
    return JSON.parse(text) as unknown;
  } catch {
    throw new Refusal('bad-input', 'The request is no JSON.');
  }
}

/** Runs a route; refusals become problem details, anything else a 500 that says nothing of the inside. */
export async function answer(work: () => Promise<Response>): Promise<Response> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof Refusal) return problem(error);
    console.error(error);
    return Response.json(
      { type: 'about:blank', title: 'Something failed inside; it was logged.', status: 500 },
      { status: 500, headers: { 'content-type': 'application/problem+json' } },
    );
  }
}
