import { answer } from '@/app/answer';
import { connected, currentSession } from '@/app/context';
import { Refusal } from '@/commands/refusal';
import { pack } from '@/core/forecast/wire';
import { forecastInput } from '@/queries/forecast-input';

/** What the browser's worker plays forward. */
export function GET(): Promise<Response> {
  return answer(async () => {
    if (!(await currentSession())) throw new Refusal('not-signed-in', 'You are not signed in.');
    const { db, clock } = connected();
    const { nowMs } = await clock.read();
    return Response.json(pack(await forecastInput(db, nowMs)));
  });
}
