/** Notices: which are due, and their delivery by mail (one for all that is due at a moment) and by webhook (one an event). */
import { groupBy } from '@/core/group-by';
import { dueNotices } from '@/core/notify/notice';
import { DAY, MINUTE, type EpochMs } from '@/core/units';
import type { SendMail } from '@/connectors/mail';
import type { CloudEvent, SendEvent } from '@/connectors/webhook';
import { presentCauses, recordCauses } from '@/store/causes';
import { selectOne, type Database } from '@/store/database';
import {
  knownCauses,
  noticeRoutes,
  openNotices,
  planNotices,
  recordFailed,
  recordSent,
  type OpenNotice,
} from '@/store/notices';

export interface Senders {
  /** Null: no mail server is set. */
  readonly mail: SendMail | null;
  readonly event: SendEvent;
  /** Opens the secret of a webhook. */
  readonly unseal: (sealed: Buffer) => string;
}

/** Tries of one notice: after 1, 2, 4 … min, some two hours in all. */
const ATTEMPTS = 7;

/** One look: causes as they are, notices that follow, deliveries that are due. */
export async function notify(db: Database, senders: Senders, nowMs: EpochMs): Promise<void> {
  await recordCauses(db, await presentCauses(db, nowMs), nowMs);
  const site = await selectOne<{ zone: string }>(db, 'SELECT zone FROM sites ORDER BY id LIMIT 1');
  const routes = await noticeRoutes(db, site?.zone ?? 'UTC');
  if (!routes.length) return;
  const { causes, planned } = await knownCauses(db, nowMs - DAY);
  await planNotices(db, dueNotices(causes, routes, planned, nowMs), nowMs);
  for (const list of groupBy(await openNotices(db, nowMs), (n) => `${n.kind}/${n.route_id}`).values())
    if (list[0]?.kind === 'mail') await deliver(db, list, () => mailOf(list, senders), nowMs);
    else for (const notice of list) await deliver(db, [notice], () => eventOf(notice, senders, nowMs), nowMs);
}

async function deliver(
  db: Database,
  list: readonly OpenNotice[],
  send: () => Promise<void>,
  nowMs: EpochMs,
): Promise<void> {
  try {
    await send();
  } catch (error) {
    const rows = list.map(({ id, attempts }) => ({
      id,
      againMs: attempts + 1 < ATTEMPTS ? nowMs + MINUTE * 2 ** attempts : null,
    }));
    await recordFailed(db, rows, (error as Error).message, nowMs);
    return;
  }
  await recordSent(
    db,
    list.map((notice) => notice.id),
    nowMs,
  );
}

const WORDS = {
  began: 'Began',
  worse: 'Now over',
  ended: 'Ended',
  escalated: 'Nobody has taken it up',
  trial: 'Trial',
} as const;

async function mailOf(list: readonly OpenNotice[], { mail }: Senders): Promise<void> {
  if (!mail) throw new Error('No mail server is set (ANCHOR_SMTP_URL).');
  const [first] = list as [OpenNotice];
  const titleOf = (n: OpenNotice): string => n.title ?? 'Notices reach this address';
  const subject = list.length === 1 ? `${WORDS[first.reason]}: ${titleOf(first)}` : `${list.length} notices`;
  const text = list
    .map((n) =>
      [
        `${WORDS[n.reason]}: ${titleOf(n)}`,
        ...(n.from_ms === null ? [] : [`Since ${new Date(n.from_ms).toISOString()}`]),
        ...(n.to_ms === null ? [] : [`Until ${new Date(n.to_ms).toISOString()}`]),
        n.reason === 'ended' ? '' : (n.effect ?? ''),
      ]
        .filter(Boolean)
        .join('\n'),
    )
    .join('\n\n');
  await mail({ to: first.target, subject: `[Anchor Bay] ${subject}`, text });
}

async function eventOf(n: OpenNotice, { event, unseal }: Senders, nowMs: EpochMs): Promise<void> {
  const cloudEvent: CloudEvent = {
    specversion: '1.0',
    id: n.event_id,
    source: 'urn:anchor-bay',
    type: `anchor-bay.cause.${n.reason}`,
    subject: n.cause_key ?? 'trial',
    time: new Date(nowMs).toISOString(),
    datacontenttype: 'application/json',
    data: {
      title: n.title,
      state: n.state,
      workloads: n.workloads,
      effect: n.effect,
      since: n.from_ms === null ? null : new Date(n.from_ms).toISOString(),
      until: n.to_ms === null ? null : new Date(n.to_ms).toISOString(),
    },
  };
  await event(n.target, cloudEvent, n.secret ? unseal(n.secret) : '');
}
