import type { Metadata } from 'next';
import { connected, requireSession } from '@/app/context';
import { displayZone } from '@/queries/connect';
import { tokenList } from '@/queries/tokens';
import { ActButton } from '@/ui/act';
import { exact } from '@/ui/format';
import { TokenForm } from '@/ui/tokens/token-form';

export const metadata: Metadata = { title: 'Tokens' };

const dateOf = (realMs: number): string => new Date(realMs).toISOString().slice(0, 10);

export default async function TokensPage() {
  const { db } = connected();
  const { person } = await requireSession();
  const [tokens, zone] = await Promise.all([tokenList(db, person), displayZone(db)]);
  const now = Date.now();
  return (
    <>
      <h1 style={{ padding: '12px 0 6px' }}>Tokens</h1>
      <p className="plain" style={{ paddingBottom: 8 }}>
        A token lets a program speak for its owner at <a href="/api/v1/openapi.json">/api/v1</a> and read{' '}
        <code>/metrics</code>. Times here are real time, not the demo's.
      </p>
      <TokenForm />
      {tokens.length === 0 ? (
        <p className="t2" style={{ paddingTop: 10 }}>
          No token yet.
        </p>
      ) : (
        <table style={{ marginTop: 10 }}>
          <thead>
            <tr>
              <th>For</th>
              <th>Owner</th>
              <th>May</th>
              <th>Made</th>
              <th>Ends</th>
              <th>Last used</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {tokens.map((t) => (
              <tr key={t.id}>
                <td>{t.name}</td>
                <td>{t.owner}</td>
                <td>{t.scope}</td>
                <td title={exact(t.createdRealMs, zone)}>{dateOf(t.createdRealMs)}</td>
                <td title={exact(t.expiresRealMs, zone)}>{dateOf(t.expiresRealMs)}</td>
                <td>
                  {t.usedRealMs === null ? (
                    <span className="t2">never</span>
                  ) : (
                    <span title={exact(t.usedRealMs, zone)}>{dateOf(t.usedRealMs)}</span>
                  )}
                </td>
                <td className="r">
                  {t.revoked ? (
                    <span className="t2">revoked</span>
                  ) : t.expiresRealMs < now ? (
                    <span className="t2">over</span>
                  ) : (
                    <ActButton command="revoke-token" body={{ tokenId: t.id }} small>
                      Revoke
                    </ActButton>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}
