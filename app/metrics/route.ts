import { answer } from '@/app/answer';
import { connected } from '@/app/context';
import { bearerOf } from '@/commands/tokens';
import { metricsText } from '@/queries/metrics';

export const dynamic = 'force-dynamic';

export function GET(request: Request): Promise<Response> {
  return answer(async () => {
    const { db, clock } = connected();
    await bearerOf(db, request.headers.get('authorization'));
    const text = await metricsText(db, (await clock.read()).nowMs);
    return new Response(text, { headers: { 'content-type': 'text/plain; version=0.0.4; charset=utf-8' } });
  });
}
