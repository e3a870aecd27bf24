import { connected } from '@/app/context';
import { readiness } from '@/queries/ready';

export const dynamic = 'force-dynamic';

export async function GET(): Promise<Response> {
  const state = await readiness(connected().db);
  return Response.json(state, { status: state.ready ? 200 : 503 });
}
