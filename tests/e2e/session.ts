/** A signed-in administrator for tests that speak HTTP without a page. */
import { expect, type APIRequestContext, type PlaywrightWorkerArgs } from '@playwright/test';
import { createConnection, type Connection, type RowDataPacket } from 'mysql2/promise';

export interface Desk {
  readonly request: APIRequestContext;
  readonly csrf: string;
  readonly db: Connection;
  /** Carries out a command as a page would. */
  readonly command: (name: string, body: unknown) => ReturnType<APIRequestContext['post']>;
}

export async function openDesk(playwright: PlaywrightWorkerArgs['playwright']): Promise<Desk> {
  const env = process.env;
  const db = await createConnection({
    host: '127.0.0.1',
    port: Number(env.ANCHOR_DB_PORT),
    user: 'root',
    password: env.ANCHOR_DB_PASSWORD ?? '',
    database: env.ANCHOR_DB_NAME ?? '',
  });
  const request = await playwright.request.newContext({ baseURL: env.ANCHOR_E2E_ADDRESS ?? '' });
  const answer = await request.post('/api/sign-in', { data: { name: 'ines', password: 'harbour-light-1' } });
  expect(answer.status()).toBe(200);
  const [rows] = await db.query<RowDataPacket[]>(
    'SELECT csrf_token FROM sessions ORDER BY created_real_ms DESC LIMIT 1',
  );
  const csrf = rows[0]?.csrf_token as string;
  const command = (name: string, body: unknown) =>
    request.post(`/api/commands/${name}`, {
      data: JSON.stringify(body),
      headers: { 'content-type': 'application/json', 'x-csrf-token': csrf },
    });
  return { request, csrf, db, command };
}
