import { answer } from '@/app/answer';
import { connected, currentSession, momentOf } from '@/app/context';
import { workloadFilter } from '@/app/workload-filter';
import { Refusal } from '@/commands/refusal';
import { workloadPage } from '@/queries/workloads';

/** A window of the table of workloads, with the filters of its page. */
export function GET(request: Request): Promise<Response> {
  return answer(async () => {
    if (!(await currentSession())) throw new Refusal('not-signed-in', 'You are not signed in.');
    const params = Object.fromEntries(new URL(request.url).searchParams);
    const offset = Number(params.offset ?? 0);
    if (!Number.isSafeInteger(offset) || offset < 0)
      throw new Refusal('bad-input', 'offset must be 0 or more.', { offset: 'Must be a whole number, 0 or more.' });
    const { asOfMs, isNow } = await momentOf(Promise.resolve(params));
    return Response.json(await workloadPage(connected().db, asOfMs, isNow, workloadFilter(params), offset));
  });
}
