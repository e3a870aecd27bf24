/** Nonsense at every route: a clear 4xx, and nothing changed. By table. */
import { expect, test, type APIRequestContext } from '@playwright/test';
import type { Connection, RowDataPacket } from 'mysql2/promise';
import { openDesk, type Desk } from './session';

let desk: Desk;
let db: Connection;
let csrf = '';
let request: APIRequestContext;

const LONG = 'x'.repeat(500);
const ladder = { reading: 'bands', zone: 'Europe/Oslo', rungs: [{ per: null, count: 1, spanMs: 3_600_000 }] };
const every = (everyMs: unknown) => ({ kind: 'every', everyMs, offsetMs: 0 });
const lane = (over: object) => ({
  policyId: 5,
  baseRevision: 1,
  laneKey: 'backup',
  cadence: every(3_600_000),
  ladder,
  acceptLoss: false,
  ...over,
});

/** Command, body, expected status, field that must be named (or empty). */
const CASES: ReadonlyArray<readonly [string, unknown, number, string]> = [
  ['run-now', {}, 422, 'workloadId'],
  ['run-now', { workloadId: -1 }, 422, 'workloadId'],
  ['run-now', { workloadId: 1.5 }, 422, 'workloadId'],
  ['run-now', { workloadId: '1' }, 422, 'workloadId'],
  ['run-now', { workloadId: 999999 }, 404, ''],
  ['run-now', { workloadId: 1, laneKey: LONG }, 422, 'laneKey'],
  ['run-now', { workloadId: 1, laneKey: 'nowhere' }, 404, ''],
  ['run-now', { workloadId: 1, extra: true }, 422, ''],
  ['run-now', [], 422, ''],
  ['run-now', null, 422, ''],
  ['cancel-run', { runId: 0 }, 422, 'runId'],
  ['cancel-run', { runId: 1 }, 409, ''],
  ['cancel-run', { runId: 99999999 }, 404, ''],
  ['retry-run', { runId: 1 }, 409, ''],
  ['hold-point', { pointId: 1, reason: '' }, 422, 'reason'],
  ['hold-point', { pointId: 1, reason: LONG }, 422, 'reason'],
  ['hold-point', { pointId: 99999999, reason: 'because' }, 404, ''],
  ['release-hold', { pointId: 99999999, reason: 'because' }, 404, ''],
  ['edit-lane', lane({ cadence: every(1000) }), 422, 'cadence.everyMs'],
  ['edit-lane', lane({ cadence: every(-5) }), 422, 'cadence.everyMs'],
  ['edit-lane', lane({ cadence: every('often') }), 422, 'cadence.everyMs'],
  ['edit-lane', lane({ cadence: { kind: 'sometimes' } }), 422, 'cadence.kind'],
  [
    'edit-lane',
    lane({ cadence: { kind: 'rule', zone: 'Europe/Nowhere', start: '2026-01-05T22:00', rule: 'FREQ=DAILY' } }),
    422,
    'cadence.zone',
  ],
  [
    'edit-lane',
    lane({ cadence: { kind: 'rule', zone: 'UTC', start: '2026-01-05T22:00', rule: 'FREQ=HOURLY' } }),
    422,
    'cadence.rule',
  ],
  [
    'edit-lane',
    lane({ cadence: { kind: 'rule', zone: 'UTC', start: 'tonight', rule: 'FREQ=DAILY' } }),
    422,
    'cadence.start',
  ],
  ['edit-lane', lane({ ladder: { ...ladder, rungs: [] } }), 422, 'ladder.rungs'],
  [
    'edit-lane',
    lane({ ladder: { ...ladder, rungs: [{ per: 'fortnight', count: 1, spanMs: 1e6 }] } }),
    422,
    'ladder.rungs[0].per',
  ],
  [
    'edit-lane',
    lane({ ladder: { ...ladder, rungs: [{ per: 'day', count: 0, spanMs: 1e6 }] } }),
    422,
    'ladder.rungs[0].count',
  ],
  ['edit-lane', lane({ ladder: { reading: 'newest', count: 0 } }), 422, 'ladder.count'],
  ['edit-lane', lane({ baseRevision: 77 }), 409, ''],
  ['edit-lane', lane({ laneKey: 'nowhere' }), 404, ''],
  ['edit-lane', lane({ policyId: 4242 }), 404, ''],
  ['apply-policy', { policyId: 4242 }, 404, ''],
  ['start-drill', { runbookId: 4242, pointInTimeMs: null }, 404, ''],
  ['start-drill', { runbookId: 2, pointInTimeMs: 9e15 }, 422, 'pointInTimeMs'],
  ['start-drill', { runbookId: 2 }, 422, 'pointInTimeMs'],
  ['cancel-drill', { drillId: 1 }, 409, ''],
  ['set-clock-rate', { rate: 7 }, 422, 'rate'],
  ['jump-clock', { byMs: -1 }, 422, 'byMs'],
  ['set-fault', { kind: 'earthquake', subject: 'Ostgate' }, 422, 'kind'],
  ['set-fault', { kind: 'link-slow', subject: 'Ostgate', factor: 9 }, 422, 'factor'],
  ['no-such-command', {}, 404, ''],
];

async function fingerprint(): Promise<string> {
  const [rows] = await db.query<RowDataPacket[]>(
    `SELECT (SELECT COUNT(*) FROM runs WHERE started_by = 'person') a, (SELECT COUNT(*) FROM policy_revisions) b, (SELECT COUNT(*) FROM drills) c,
            (SELECT COUNT(*) FROM points WHERE held_at_ms IS NOT NULL) d, (SELECT COUNT(*) FROM audit_entries) e, (SELECT rate FROM clock) f`,
  );
  return JSON.stringify(rows[0]);
}

test.beforeAll(async ({ playwright }) => {
  desk = await openDesk(playwright);
  ({ request, csrf, db } = desk);
});
test.afterAll(() => db.end());

for (const [i, [command, body, status, field]] of CASES.entries())
  test(`${i + 1}: ${command}${field ? `, ${field} wrong` : ''}, is refused with ${status}`, async () => {
    const before = await fingerprint();
    const answer = await desk.command(command, body);
    const problem = (await answer.json()) as { title: string; detail: string; fields: Record<string, string> };
    expect([answer.status(), problem.title.length > 0, problem.detail.length > 0]).toEqual([status, true, true]);
    if (field) expect(Object.keys(problem.fields)).toContain(field);
    expect(await fingerprint()).toBe(before);
  });

test('no token, a wrong token, no session, no JSON and a huge body are refused', async ({ playwright, baseURL }) => {
  const before = await fingerprint();
  const post = (context: APIRequestContext, headers: Record<string, string>, data: string) =>
    context
      .post('/api/commands/run-now', { data, headers: { 'content-type': 'application/json', ...headers } })
      .then((answer) => answer.status());
  const good = JSON.stringify({ workloadId: 1 });
  expect(await post(request, {}, good)).toBe(403);
  expect(await post(request, { 'x-csrf-token': 'a'.repeat(43) }, good)).toBe(403);
  expect(await post(request, { 'x-csrf-token': csrf }, '{"workloadId":')).toBe(422);
  expect(
    await post(request, { 'x-csrf-token': csrf }, JSON.stringify({ workloadId: 1, laneKey: 'x'.repeat(70_000) })),
  ).toBe(422);
  const stranger = await playwright.request.newContext({ baseURL: baseURL ?? '' });
  expect(await post(stranger, { 'x-csrf-token': csrf }, good)).toBe(401);
  for (const path of ['/api/workloads', '/api/live', '/api/proof/1'])
    expect((await stranger.get(path)).status()).toBe(401);
  expect(await fingerprint()).toBe(before);
});

test('pages and windows answer nonsense in their address without failing', async () => {
  for (const path of [
    '/api/workloads?offset=-1',
    '/api/workloads?offset=many',
    '/api/proof/abc',
    '/api/proof/99999',
    '/workloads/abc',
    '/workloads/999999',
    '/policies/x',
    '/runs/-3',
    '/runbooks/0',
    '/drills/zzz',
  ])
    expect([404, 422], path).toContain((await request.get(path)).status());
  for (const path of [
    '/?at=yesterday',
    '/?at=-5',
    '/workloads?sort=;drop&tier=9&site=%25',
    '/runs?state=%27&text=%5C%25',
  ])
    expect((await request.get(path)).status(), path).toBe(200);
});

test('every answer carries the security headers', async () => {
  const headers = (await request.get('/')).headers();
  expect(headers['content-security-policy']).toMatch(/script-src 'self' 'nonce-[^']+' 'strict-dynamic'/);
  expect(headers['content-security-policy']).not.toContain("script-src 'self' 'unsafe-inline'");
  expect(headers['x-content-type-options']).toBe('nosniff');
  expect(headers['x-frame-options']).toBe('DENY');
});

test('too many tries to sign in are slowed down', async ({ playwright, baseURL }) => {
  const stranger = await playwright.request.newContext({ baseURL: baseURL ?? '' });
  const statuses: number[] = [];
  for (let i = 0; i < 12; i++)
    statuses.push((await stranger.post('/api/sign-in', { data: { name: 'nobody', password: 'x' } })).status());
  expect(statuses.slice(0, 10).every((s) => s === 401)).toBe(true);
  expect(statuses.at(-1)).toBe(429);
});
