/** Looks at the streams: how far each is, what its journal holds, and which ones nobody wants any more. */
import { ControllerError, type Place, type SiteController, type StreamStatus } from '@/connectors/site-controller';
import type { ClaimedRun } from '@/store/runs';
import { anyStream, knownStreams, opensStream, recordStreams, type SeenStream } from '@/store/streams';
import type { Database } from '@/store/database';
import type { EpochMs } from '@/core/units';

/** Name of the stream of a lane of an enrolment at a place. */
export function streamKey(of: Pick<ClaimedRun, 'enrolment_id' | 'lane_key'>, place: Place): string {
  return `t${of.enrolment_id}.${place.id}.${of.lane_key}`;
}

/**
 * One look. A site that does not answer leaves its streams where they were seen last, and says so; a stream that no lane
 * has any more is closed.
 */
export async function observeStreams(db: Database, site: SiteController, nowMs: EpochMs): Promise<void> {
  if (!(await anyStream(db))) return;
  const answers = await statusOf(site);
  const byKey = new Map(answers.map((status) => [status.key, status]));
  // Read after the answers: what was opened since then is not among them.
  const known = await knownStreams(db);
  const seen = known.map((stream): SeenStream => {
    const key = streamKey(stream, { kind: 'datastore', id: stream.place_id });
    const status = byKey.get(key);
    byKey.delete(key);
    return { ...stream, status: status ? plain(status) : null };
  });
  await recordStreams(db, seen, nowMs);
  for (const { key, workloadId } of byKey.values())
    if (!(await opensStream(db, workloadId))) await site.closeStream(key);
}

/** A controller that does not answer says nothing of any stream. */
async function statusOf(site: SiteController): Promise<readonly StreamStatus[]> {
  try {
    return await site.streams();
  } catch (error) {
    if (!(error instanceof ControllerError)) throw error;
    return [];
  }
}

const plain = ({ state, throughMs, spans, behindBytes, rateBps }: StreamStatus) => ({
  state,
  throughMs,
  spans,
  behindBytes,
  rateBps,
});
