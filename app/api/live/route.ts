import { answer } from '@/app/answer';
import { connected, currentSession } from '@/app/context';
import { Refusal } from '@/commands/refusal';

/** How often the clock is told, in ms of real time. */
const BEAT_MS = 1_000;

/** Server-sent events: what time it is for the fleet, and by that, that there may be something new to see. */
export function GET(request: Request): Promise<Response> {
  return answer(async () => {
    if (!(await currentSession())) throw new Refusal('not-signed-in', 'You are not signed in.');
    const encoder = new TextEncoder();
    const stream = new ReadableStream<Uint8Array>({
      async start(controller) {
        while (!request.signal.aborted) {
          try {
            const state = await connected().clock.read();
            controller.enqueue(encoder.encode(`data: ${JSON.stringify(state)}\n\n`));
          } catch (error) {
            if (request.signal.aborted) return;
            console.error(error);
            controller.enqueue(encoder.encode('event: trouble\ndata: {}\n\n'));
          }
          await new Promise((resolve) => setTimeout(resolve, BEAT_MS));
        }
      },
    });
    return new Response(stream, { headers: { 'content-type': 'text/event-stream', 'cache-control': 'no-store' } });
  });
}
