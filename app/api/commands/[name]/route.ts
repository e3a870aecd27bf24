import { cookies } from 'next/headers';
import { answer, jsonBody } from '@/app/answer';
import { connected, SESSION_COOKIE } from '@/app/context';
import { perform } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { COMMANDS } from '@/commands/registry';
import { requireToken, sessionOf } from '@/commands/sessions';

export function POST(request: Request, { params }: { params: Promise<{ name: string }> }): Promise<Response> {
  return answer(async () => {
    const { db, clock } = connected();
    const session = await sessionOf(db, (await cookies()).get(SESSION_COOKIE)?.value);
    if (!session) throw new Refusal('not-signed-in', 'You are not signed in.');
    requireToken(session, request.headers.get('x-csrf-token'));
    const command = COMMANDS.get((await params).name);
    if (!command) throw new Refusal('not-found', 'There is no such command.');
    const result = await perform(command, await jsonBody(request), { db, clock, person: session.person });
    return Response.json(result);
  });
}
