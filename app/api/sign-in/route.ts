import { cookies, headers } from 'next/headers';
import { answer, jsonBody } from '@/app/answer';
import { connected, SESSION_COOKIE } from '@/app/context';
import { Refusal } from '@/commands/refusal';
import { SESSION_MS, signIn } from '@/commands/sessions';

export function POST(request: Request): Promise<Response> {
  return answer(async () => {
    const sent = await headers();
    const origin = sent.get('origin');
    if (origin !== null && new URL(origin).host !== sent.get('host'))
      throw new Refusal('bad-token', 'The request came from another site.');
    const token = await signIn(connected().db, await jsonBody(request));
    (await cookies()).set(SESSION_COOKIE, token, {
      httpOnly: true,
      sameSite: 'strict',
      path: '/',
      maxAge: SESSION_MS / 1000,
      secure: new URL(request.url).protocol === 'https:',
    });
    return Response.json({});
  });
}
