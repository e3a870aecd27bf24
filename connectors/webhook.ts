/**
 * Events to webhooks: CloudEvents 1.0 in structured JSON mode (CNCF, from memory), signed as the Standard Webhooks
 * specification has it (from memory): HMAC-SHA256 over "id.timestamp.body", base64, after "v1,".
 */
import { createHmac } from 'node:crypto';

export interface CloudEvent {
  readonly specversion: '1.0';
  readonly id: string;
  readonly source: string;
  readonly type: string;
  readonly subject: string;
  /** RFC 3339. */
  readonly time: string;
  readonly datacontenttype: 'application/json';
  readonly data: Readonly<Record<string, unknown>>;
}
/** Delivers one event, or rejects with what the receiver said. */
export type SendEvent = (target: string, event: CloudEvent, secret: string) => Promise<void>;

const PATIENCE_MS = 5_000;

export const sendEvent: SendEvent = async (target, event, secret) => {
  const body = JSON.stringify(event);
  const timestamp = String(Math.floor(Date.now() / 1000));
  const answer = await fetch(target, {
    method: 'POST',
    body,
    redirect: 'error',
    signal: AbortSignal.timeout(PATIENCE_MS),
    headers: {
      'content-type': 'application/cloudevents+json; charset=utf-8',
      'webhook-id': event.id,
      'webhook-timestamp': timestamp,
      'webhook-signature': signatureOf(event.id, timestamp, body, secret),
    },
  });
  await answer.arrayBuffer();
  if (!answer.ok) throw new Error(`${target} answered ${answer.status}.`);
};

export function signatureOf(id: string, timestamp: string, body: string, secret: string): string {
  return `v1,${createHmac('sha256', secret).update(`${id}.${timestamp}.${body}`).digest('base64')}`;
}
