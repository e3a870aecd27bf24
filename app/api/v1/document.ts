/** The OpenAPI 3.1 document, made of the list of operations. */
import type { Operation } from '@/app/api/v1/operation';
import { OPERATIONS } from '@/app/api/v1/operations';
import { refTo, SCHEMAS } from '@/app/api/v1/schemas';
import { REFUSALS } from '@/commands/refusal';

const LIST_PARAMETERS = [
  {
    name: 'cursor',
    in: 'query',
    required: false,
    schema: { type: 'string' },
    description: 'What the window before gave as next.',
  },
  { name: 'limit', in: 'query', required: false, schema: { type: 'integer', minimum: 1, maximum: 500, default: 50 } },
];
const ONCE = {
  name: 'Idempotency-Key',
  in: 'header',
  required: false,
  schema: { type: 'string', maxLength: 64 },
  description: 'The same key and request twice have one effect and get one answer, for a day.',
};

export function openApiDocument(): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const operation of OPERATIONS) (paths[operation.path] ??= {})[operation.method] = describe(operation);
  return {
    openapi: '3.1.0',
    info: {
      title: 'Anchor Bay',
      version: '1',
      description:
        'Workloads, policies, enrolments, runs and points. Refusals are problem details (RFC 9457); instants are RFC 3339.',
      license: { name: 'Apache-2.0', identifier: 'Apache-2.0' },
    },
    servers: [{ url: '/api/v1' }],
    security: [{ token: [] }],
    paths,
    components: {
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer', description: 'A token with the scope read, operate or administer.' },
      },
      schemas: SCHEMAS,
    },
  };
}

function describe({ id, summary, scope, path, filters, body, answer, method }: Operation): object {
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({
    name,
    in: 'path',
    required: true,
    schema: { type: 'integer', minimum: 1 },
  }));
  const inQuery = Object.entries(filters ?? {}).map(([name, schema]) => ({
    name,
    in: 'query',
    required: false,
    schema,
  }));
  const problem = (status: number): object => ({
    description: Object.entries(REFUSALS)
      .filter(([, refusal]) => refusal.status === status)
      .map(([code]) => code)
      .join(', '),
    content: { 'application/problem+json': { schema: refTo('Problem') } },
  });
  const problems = method === 'get' ? [401, 403, 404, 422] : [401, 403, 404, 409, 422];
  return {
    operationId: id,
    summary,
    description: `Scope ${scope}.`,
    parameters: [...inPath, ...inQuery, ...(filters ? LIST_PARAMETERS : []), ...(method === 'get' ? [] : [ONCE])],
    ...(body ? { requestBody: { required: true, content: { 'application/json': { schema: body } } } } : {}),
    responses: {
      '200': { description: 'Done.', content: { 'application/json': { schema: answer } } },
      ...Object.fromEntries(problems.map((status) => [String(status), problem(status)])),
    },
  };
}
