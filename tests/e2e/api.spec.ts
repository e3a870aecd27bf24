/** The API as a program meets it: tokens, scopes, windows, keys, problems; its document, its metrics and its readiness. */
import { expect, test, type APIRequestContext, type APIResponse } from '@playwright/test';
import Ajv2020 from 'ajv/dist/2020.js';
import addFormats from 'ajv-formats';
import { openDesk, type Desk } from './session';

type Json = Record<string, unknown>;
let desk: Desk;
let page: APIRequestContext;
const address = process.env.ANCHOR_E2E_ADDRESS ?? '';

test.beforeAll(async ({ playwright }) => {
  desk = await openDesk(playwright);
  page = desk.request;
});
test.afterAll(() => desk.db.end());

async function tokenOf(scope: string): Promise<{ tokenId: number; secret: string }> {
  const answer = await desk.command('create-token', { name: `test ${scope}`, scope, days: 1 });
  expect(answer.status()).toBe(200);
  return (await answer.json()) as { tokenId: number; secret: string };
}

/** Requests with a token and without the session. */
async function client(playwright: { request: { newContext(o: object): Promise<APIRequestContext> } }, secret: string) {
  return playwright.request.newContext({ baseURL: address, extraHTTPHeaders: { authorization: `Bearer ${secret}` } });
}

const json = async (answer: APIResponse): Promise<Json> => (await answer.json()) as Json;

test('the document is OpenAPI 3.1 (by the schema of the OpenAPI Initiative), and every list answers as it says', async ({
  playwright,
}) => {
  const { Validator } = await import('@seriousme/openapi-schema-validator');
  const document = await json(await page.get('/api/v1/openapi.json'));
  const judged = await new Validator().validate(document as never);
  expect(judged.errors).toBeUndefined();
  expect(judged.valid).toBe(true);
  const ajv = new Ajv2020({ strict: false });
  addFormats(ajv);
  ajv.addSchema({ $id: 'doc', ...document }, 'doc');
  const { secret } = await tokenOf('read');
  const api = await client(playwright, secret);
  const paths = document.paths as Record<string, Record<string, { operationId: string }>>;
  let seen = 0;
  for (const [path, methods] of Object.entries(paths)) {
    if (!methods.get) continue;
    const listed = await api.get(`/api/v1${path.replace('{id}', '1')}?${path.includes('{') ? '' : 'limit=3'}`);
    expect(listed.status(), path).toBe(200);
    const pointer = `/paths/${path.replaceAll('/', '~1').replaceAll('{', '%7B').replaceAll('}', '%7D')}/get/responses/200/content/application~1json/schema`;
    const valid = ajv.validate({ $ref: `doc#${pointer}` }, await listed.json());
    expect(ajv.errorsText(), path).toBe('No errors');
    expect(valid).toBe(true);
    seen++;
  }
  expect(seen).toBe(10);
  await api.dispose();
});

test('windows of a list join without gap or double', async ({ playwright }) => {
  const api = await client(playwright, (await tokenOf('read')).secret);
  const ids: number[] = [];
  let next: string | null = null;
  do {
    const window = await json(await api.get(`/api/v1/workloads?limit=50${next ? `&cursor=${next}` : ''}`));
    ids.push(...(window.items as Array<{ id: number }>).map((w) => w.id));
    next = window.next as string | null;
  } while (next);
  expect(new Set(ids).size).toBe(ids.length);
  expect(ids.length).toBe(184);
  await api.dispose();
});

test('the same key and request twice have one effect; the same key for another request is refused', async ({
  playwright,
}) => {
  const api = await client(playwright, (await tokenOf('operate')).secret);
  const start = (key: string, workloadId: number) =>
    api.post('/api/v1/runs', { data: { workloadId }, headers: { 'idempotency-key': key } });
  const both = await Promise.all([start('k1', 20), start('k1', 20)]);
  expect(both.map((answer) => answer.status())).toEqual([200, 200]);
  const [a, b] = await Promise.all(both.map(json));
  expect(a).toEqual(b);
  expect((await start('k1', 21)).status()).toBe(409);
  expect((await start('with space', 21)).status()).toBe(422);
  const cancelled = await api.post(`/api/v1/runs/${a?.runId as number}/cancel`);
  expect([200, 409]).toContain(cancelled.status());
  await api.dispose();
});

test('a scope bounds its token, a revoked one is nobody, and refusals are problem details', async ({ playwright }) => {
  const read = await tokenOf('read');
  const api = await client(playwright, read.secret);
  const refused = await api.post('/api/v1/runs', { data: { workloadId: 1 } });
  expect([refused.status(), refused.headers()['content-type']]).toEqual([403, 'application/problem+json']);
  expect(await json(refused)).toMatchObject({ type: 'urn:anchor-bay:not-allowed', status: 403 });
  for (const [path, status] of [
    ['/api/v1/runs?state=sleeping', 422],
    ['/api/v1/runs?limit=0', 422],
    ['/api/v1/runs?cursor=abc', 422],
    ['/api/v1/runs?colour=red', 422],
    ['/api/v1/runs/999999999', 404],
    ['/api/v1/nothing', 404],
  ] as const)
    expect((await api.get(path)).status(), path).toBe(status);
  const revoked = await desk.command('revoke-token', { tokenId: read.tokenId });
  expect(revoked.status()).toBe(200);
  expect((await api.get('/api/v1/runs')).status()).toBe(401);
  await api.dispose();
});

test('a hold by the API is in the audit trail with its token, and is released by who may', async ({ playwright }) => {
  const operate = await client(playwright, (await tokenOf('operate')).secret);
  const administer = await client(playwright, (await tokenOf('administer')).secret);
  const points = (await json(await operate.get('/api/v1/points?workloadId=3&limit=1'))).items as Array<{ id: number }>;
  const hold = `/api/v1/points/${points[0]?.id}/hold`;
  expect((await operate.post(hold, { data: { reason: 'for the auditor' } })).status()).toBe(200);
  expect((await operate.post(hold, { data: { reason: 'once more' } })).status()).toBe(409);
  expect((await operate.delete(hold, { data: { reason: 'enough' } })).status()).toBe(403);
  expect((await administer.delete(hold, { data: { reason: 'enough' } })).status()).toBe(200);
  await operate.dispose();
  await administer.dispose();
});

test('a policy is made and revised by the API, and what cannot work is refused at its field', async ({
  playwright,
}) => {
  const api = await client(playwright, (await tokenOf('administer')).secret);
  const backup = {
    key: 'backup',
    kind: 'backup',
    cadence: { kind: 'every', everyMs: 3_600_000, offsetMs: 0 },
    ladder: { reading: 'newest', count: 10 },
    consistency: 'crash',
    excludeRoles: ['scratch'],
    targets: { '1': 1 },
    sending: { compression: 'strong', encrypted: true },
  };
  const policy = { name: 'By the API', takes: 'name is nobody-01', lanes: [backup] };
  const bad = await api.post('/api/v1/policies', { data: { ...policy, lanes: [{ ...backup, targets: { '1': 99 } }] } });
  expect([bad.status(), (await json(bad)).fields]).toEqual([422, { 'backup.targets': 'There is no repository 99.' }]);
  expect((await api.post('/api/v1/policies', { data: { ...policy, takes: 'tier equals' } })).status()).toBe(422);
  const made = await json(await api.post('/api/v1/policies', { data: policy }));
  expect(made.workloads).toBe(0);
  expect((await api.post('/api/v1/policies', { data: policy })).status()).toBe(409);
  const { consistency, excludeRoles, targets } = backup;
  const { sending } = backup;
  const settings = { consistency, excludeRoles, targets, sending, firstCopy: 'at-night' };
  const { cadence, ladder } = backup;
  const revision = { baseRevision: 1, laneKey: 'backup', cadence, ladder, settings, acceptLoss: false };
  const revised = await api.post(`/api/v1/policies/${made.policyId as number}/revisions`, { data: revision });
  expect(await json(revised)).toEqual({ revision: 2, lost: { points: 0, workloads: 0 } });
  const read = await json(await api.get(`/api/v1/policies/${made.policyId as number}`));
  expect(read.lanes).toEqual([{ ...backup, firstCopy: 'at-night' }]);
  await desk.db.query('DELETE FROM policies WHERE id = ?', [made.policyId]);
  await api.dispose();
});

test('metrics are Prometheus text for a token, readiness says who works', async ({ playwright }) => {
  expect((await page.get('/metrics')).status()).toBe(401);
  const api = await client(playwright, (await tokenOf('read')).secret);
  const text = await (await api.get('/metrics')).text();
  for (const line of text.split('\n').filter(Boolean))
    expect(line).toMatch(
      /^(# (HELP|TYPE) anchor_bay_\w+ .+|anchor_bay_\w+(\{\w+="[^"]*"(,\w+="[^"]*")*\})? -?[\d.e+]+)$/,
    );
  const standing = [...text.matchAll(/anchor_bay_workloads\{standing="\w+"\} (\d+)/g)].map(([, n]) => Number(n));
  expect(standing.reduce((a, b) => a + b, 0)).toBe(184);
  expect(await json(await page.get('/readyz'))).toEqual({ ready: true, database: 'answers', engines: 1 });
  await api.dispose();
});
