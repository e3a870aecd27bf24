import { object, string } from 'yup';
import { answer, jsonBody } from '@/app/answer';
import { connected, currentSession } from '@/app/context';
import { parse } from '@/commands/command';
import { Refusal } from '@/commands/refusal';
import { ladder } from '@/commands/shapes';
import type { Ladder } from '@/core/protect/ladder';
import { laneLoss } from '@/queries/lane-loss';

const shape = object({ laneKey: string().required().max(24), ladder: ladder.required() });

/** What a lane's new ladder would let go; changes nothing. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    if (!(await currentSession())) throw new Refusal('not-signed-in', 'You are not signed in.');
    const id = Number((await params).id);
    const input = await parse(shape, await jsonBody(request));
    const { db, clock } = connected();
    const { nowMs } = await clock.read();
    const loss = Number.isSafeInteger(id)
      ? await laneLoss(db, id, input.laneKey, input.ladder as unknown as Ladder, nowMs)
      : null;
    if (!loss) throw new Refusal('not-found', 'There is no such policy or lane.');
    return Response.json(loss);
  });
}
