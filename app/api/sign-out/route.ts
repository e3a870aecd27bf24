import { cookies } from 'next/headers';
import { answer } from '@/app/answer';
import { connected, currentSession, SESSION_COOKIE } from '@/app/context';
import { Refusal } from '@/commands/refusal';
import { requireToken, signOut } from '@/commands/sessions';

export function POST(request: Request): Promise<Response> {
  return answer(async () => {
    const session = await currentSession();
    if (!session) throw new Refusal('not-signed-in', 'You are not signed in.');
    requireToken(session, request.headers.get('x-csrf-token'));
    const jar = await cookies();
    await signOut(connected().db, jar.get(SESSION_COOKIE)?.value ?? '');
    jar.delete(SESSION_COOKIE);
    return Response.json({});
  });
}
