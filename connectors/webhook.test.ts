import { createHmac } from 'node:crypto';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { sendEvent, signatureOf, type CloudEvent } from '@/connectors/webhook';

const event: CloudEvent = {
  specversion: '1.0',
  id: '7e2f',
  source: 'urn:anchor-bay',
  type: 'anchor-bay.cause.began',
  subject: 'link-down/Ostgate – Norde',
  time: '2026-03-12T07:14:00.000Z',
  datacontenttype: 'application/json',
  data: { workloads: 3 },
};

test('14-H1: HMAC-SHA-256 of RFC 4231 case 2, on which the signature stands', () => {
  const mac = createHmac('sha256', 'Jefe').update('what do ya want for nothing?').digest('hex');
  expect(mac).toBe('5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843');
});

test('an event arrives as it is, with a signature that its receiver can check', async () => {
  const got: Array<{ headers: Record<string, unknown>; body: string }> = [];
  const server = createServer((request, response) => {
    let body = '';
    request.on('data', (chunk: Buffer) => (body += chunk.toString()));
    request.on('end', () => {
      got.push({ headers: request.headers, body });
      response.writeHead(got.length > 1 ? 503 : 204).end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', () => resolve()));
  const target = `http://127.0.0.1:${(server.address() as AddressInfo).port}/hook`;
  await sendEvent(target, event, 'secret');
  const [{ headers, body }] = got as [(typeof got)[number]];
  expect(JSON.parse(body)).toEqual(event);
  expect(headers['content-type']).toMatch(/^application\/cloudevents\+json/);
  expect(headers['webhook-signature']).toBe(signatureOf('7e2f', String(headers['webhook-timestamp']), body, 'secret'));
  expect(headers['webhook-signature']).not.toBe(
    signatureOf('7e2f', String(headers['webhook-timestamp']), body, 'other'),
  );
  await expect(sendEvent(target, event, 'secret')).rejects.toThrow(/503/);
  server.closeAllConnections();
  await new Promise<void>((resolve) => server.close(() => resolve()));
  await expect(sendEvent(target, event, 'secret')).rejects.toThrow();
});
