/** Causes and notices against a real mail server and a real receiver of webhooks. */
import { addNoticeRoute, removeNoticeRoute, takeUpCause, tryNoticeRoute } from '@/commands/notices';
import { perform, type Command, type Person } from '@/commands/command';
import { signatureOf } from '@/connectors/webhook';
import { HOUR, MINUTE } from '@/core/units';
import { Harbour, WORKLOADS } from './harbour';

jest.setTimeout(180_000);
const PERSON: Person = { id: 1, name: 'ines', fullName: 'Ines', role: 'administrator' };
let harbour: Harbour;

beforeEach(async () => {
  harbour = await Harbour.build('anchor_bay_notices_test');
  await harbour.startStandIn();
  harbour.startEngine();
});
afterEach(() => harbour.close());

const act = <I extends object, R>(command: Command<I, R>, input: object): Promise<R> =>
  perform(command, input, { db: harbour.db, clock: harbour.clock, person: PERSON });
const pass = async (ms: number): Promise<void> => {
  await harbour.beginJump(ms);
  await harbour.untilArrived(120_000);
};
const always = { level: 'over', quietFromMin: null, quietToMin: null, escalateAfterMs: null };

test('a cut link is one letter and one signed event when it begins, one when it ends; a second cut is told anew', async () => {
  await pass(HOUR);
  await act(addNoticeRoute, { kind: 'mail', target: 'night@fennmark.example', ...always });
  const hook = await act(addNoticeRoute, {
    kind: 'webhook',
    target: `http://127.0.0.1:${harbour.port}/hooks/night`,
    ...always,
  });
  await harbour.fault('setFault', { kind: 'link-cut', subject: 'Ostgate – Millbrook' });
  await pass(HOUR);
  const before = await harbour.received();
  expect(before.filter((r) => r.kind === 'mail').map((r) => [r.target, r.subject])).toEqual([
    ['night@fennmark.example', '[Anchor Bay] Began: Link Ostgate – Millbrook is down'],
  ]);
  const [event] = before.filter((r) => r.kind === 'event');
  const body = JSON.parse(event?.body ?? '{}') as {
    id: string;
    type: string;
    subject: string;
    data: { workloads: number };
  };
  expect(body).toMatchObject({
    specversion: '1.0',
    type: 'anchor-bay.cause.began',
    subject: 'link-down/Ostgate – Millbrook',
  });
  expect(body.data.workloads).toBeLessThanOrEqual(WORKLOADS);
  const stamps = [...Array(600).keys()].map((s) => String(Math.floor(Date.now() / 1000) - s));
  expect(stamps.some((t) => signatureOf(body.id, t, event?.body ?? '', hook.secret as string) === event?.subject)).toBe(
    true,
  );
  await harbour.fault('clearFault', { kind: 'link-cut', subject: 'Ostgate – Millbrook' });
  await pass(HOUR);
  const subjects = async () => (await harbour.received()).filter((r) => r.kind === 'mail').map((r) => r.subject);
  expect((await subjects())[0]).toBe('[Anchor Bay] Ended: Link Ostgate – Millbrook is down');
  expect(await subjects()).toHaveLength(2);
  await harbour.fault('setFault', { kind: 'link-cut', subject: 'Ostgate – Millbrook' });
  await pass(HOUR);
  expect(await subjects()).toHaveLength(3);
});

test('a mail server that is away is tried again until it is back; nothing is lost and nothing sent twice', async () => {
  const route = { kind: 'mail', target: 'night@fennmark.example', ...always, escalateAfterMs: 24 * HOUR };
  const { routeId } = await act(addNoticeRoute, route);
  await harbour.kill(harbour.standIn);
  await act(tryNoticeRoute, { routeId });
  await pass(5 * MINUTE);
  const [tried] = await harbour.rows<{ attempts: number; failure: string; sent_ms: number | null }>(
    'SELECT * FROM notices',
  );
  expect(tried?.attempts).toBeGreaterThan(0);
  expect(tried).toMatchObject({ sent_ms: null });
  expect(tried?.failure.length).toBeGreaterThan(5);
  await harbour.startStandIn();
  await pass(20 * MINUTE);
  expect((await harbour.received()).map((r) => r.subject)).toEqual(['[Anchor Bay] Trial: Notices reach this address']);
  await act(removeNoticeRoute, { routeId });
  await expect(act(tryNoticeRoute, { routeId })).rejects.toThrow(/no route/);
});

test('who is to be told later is told only when nobody took the cause up', async () => {
  await act(addNoticeRoute, { kind: 'mail', target: 'lead@fennmark.example', ...always, escalateAfterMs: HOUR });
  await harbour.fault('setFault', { kind: 'site-down', subject: 'Millbrook' });
  await pass(50 * MINUTE);
  expect(await harbour.received()).toEqual([]);
  const [cause] = await harbour.rows<{ cause_key: string; state: string }>(
    'SELECT cause_key, state FROM causes WHERE to_ms IS NULL',
  );
  expect(cause).toEqual({ cause_key: 'site-no-answer/Millbrook', state: 'over' });
  await act(takeUpCause, { causeKey: cause?.cause_key ?? '' });
  await pass(HOUR);
  expect(await harbour.received()).toEqual([]);
  await expect(act(takeUpCause, { causeKey: cause?.cause_key ?? '' })).rejects.toThrow(/already/);
  await harbour.fault('clearFault', { kind: 'site-down', subject: 'Millbrook' });
  await pass(90 * MINUTE);
  await harbour.fault('setFault', { kind: 'site-down', subject: 'Millbrook' });
  await pass(2 * HOUR);
  expect((await harbour.received()).map((r) => r.subject)).toEqual([
    '[Anchor Bay] Nobody has taken it up: Millbrook does not answer',
  ]);
});
