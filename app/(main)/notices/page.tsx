import type { Metadata } from 'next';
import { connected } from '@/app/context';
import { receivedByStandIn } from '@/commands/demo';
import { displayZone } from '@/queries/connect';
import { noticesView, type NoticeRow, type RouteRow } from '@/queries/notices';
import { ActButton } from '@/ui/act';
import { exact, span, when } from '@/ui/format';
import { RouteForm } from '@/ui/notices/route-form';

export const metadata: Metadata = { title: 'Notices' };

const LEVELS = { over: 'what is over', closing: 'what is over or closing', all: 'everything' } as const;
const time = (minute: number): string =>
  `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;

export default async function NoticesPage() {
  const { db, clock } = connected();
  const { nowMs, simulated } = await clock.read();
  const [{ routes, notices }, zone, received] = await Promise.all([
    noticesView(db),
    displayZone(db),
    simulated ? receivedByStandIn() : null,
  ]);
  return (
    <>
      <h1 style={{ padding: '12px 0 6px' }}>Notices</h1>
      <p className="plain" style={{ paddingBottom: 8 }}>
        One notice a cause: when it begins, and when it has been over for half an hour. What comes back before that is
        the same cause and is not told again.
      </p>
      <RouteForm />
      {routes.length === 0 ? (
        <p className="t2" style={{ paddingTop: 10 }}>
          Nobody is told of anything yet. Add a mail address or a webhook above.
        </p>
      ) : (
        <table style={{ marginTop: 10 }}>
          <thead>
            <tr>
              <th>Where to</th>
              <th>Tells</th>
              <th>When</th>
              <th>Quiet</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {routes.map((r) => (
              <Route key={r.id} route={r} zone={zone} />
            ))}
          </tbody>
        </table>
      )}
      <h2 style={{ padding: '18px 0 6px' }}>Sent and waiting</h2>
      {notices.length === 0 ? (
        <p className="t2">No notice so far.</p>
      ) : (
        <table>
          <thead>
            <tr>
              <th>When</th>
              <th>What</th>
              <th>Where to</th>
              <th>How it went</th>
            </tr>
          </thead>
          <tbody>
            {notices.map((n) => (
              <tr key={n.id}>
                <td title={exact(n.createdMs, zone)}>{when(n.createdMs, zone, nowMs)}</td>
                <td>{n.reason === 'trial' ? 'trial' : `${n.reason}: ${n.title}`}</td>
                <td>{n.target}</td>
                <td>{fate(n, zone, nowMs)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {simulated && (
        <>
          <h2 style={{ padding: '18px 0 6px' }}>What the stand-in received</h2>
          {received === null ? (
            <p className="t2">The stand-in does not answer.</p>
          ) : received.length === 0 ? (
            <p className="t2">Nothing yet. Its webhook receiver is at http://127.0.0.1:3617/hooks/any-name.</p>
          ) : (
            received.slice(0, 10).map((letter) => (
              <details key={letter.id}>
                <summary>
                  {letter.kind} to {letter.target}: {letter.subject}
                </summary>
                <pre className="num" style={{ whiteSpace: 'pre-wrap', padding: '4px 0 8px 16px' }}>
                  {letter.body}
                </pre>
              </details>
            ))
          )}
        </>
      )}
    </>
  );
}

function Route({ route: r, zone }: { route: RouteRow; zone: string }) {
  return (
    <tr>
      <td>
        {r.target} <span className="t2">{r.kind}</span>
      </td>
      <td>{LEVELS[r.level]}</td>
      <td>
        {r.escalateAfterMs !== null
          ? `if nobody takes it up for ${span(r.escalateAfterMs)}`
          : r.gatherMs > 0
            ? `gathered every ${span(r.gatherMs)}`
            : 'at once'}
      </td>
      <td>
        {r.quietFromMin === null || r.quietToMin === null
          ? 'never'
          : `${time(r.quietFromMin)} to ${time(r.quietToMin)}, ${zone}`}
      </td>
      <td className="r">
        <ActButton command="try-notice-route" body={{ routeId: r.id }} small>
          Send a trial
        </ActButton>{' '}
        <ActButton command="remove-notice-route" body={{ routeId: r.id }} kind="quiet" small>
          Remove
        </ActButton>
      </td>
    </tr>
  );
}

function fate(n: NoticeRow, zone: string, nowMs: number): string {
  if (n.sentMs !== null) return `sent ${when(n.sentMs, zone, nowMs)}${n.attempts > 1 ? ` at try ${n.attempts}` : ''}`;
  if (n.givenUp) return `given up after ${n.attempts} tries: ${n.failure ?? ''}`;
  if (n.failure) return `try ${n.attempts} failed: ${n.failure}; again ${when(n.notBeforeMs, zone, nowMs)}`;
  return n.notBeforeMs > nowMs ? `waits until ${when(n.notBeforeMs, zone, nowMs)}` : 'waits';
}
