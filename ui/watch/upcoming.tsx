'use client';
/** What will be over next if nothing changes, by cause: the forecast in one sentence. */
import { when } from '@/ui/format';
import { useOutlook } from '@/ui/frame/forecast';
import { useFrame } from '@/ui/frame/frame-context';

/** Causes named; more are counted. */
const NAMED = 2;

export function Upcoming() {
  const outlook = useOutlook();
  const { zone } = useFrame();
  if (!outlook) return <p className="upcoming t2">Playing the schedule forward …</p>;
  const { upcoming, fromMs } = outlook;
  if (!upcoming.length)
    return (
      <p className="upcoming t2">
        <i>If nothing changes, no further workload will be over its RPO within 6 h.</i>
      </p>
    );
  const more = upcoming.length - NAMED;
  return (
    <p className="upcoming" role="note">
      <i>
        If nothing changes:{' '}
        {upcoming.slice(0, NAMED).map(({ cause, words, workloadIds, firstMs }) => (
          <span key={`${cause.kind}/${cause.id}`}>
            <b>
              {workloadIds.length} {workloadIds.length === 1 ? 'workload' : 'workloads'}
            </b>{' '}
            over from {when(firstMs, zone, fromMs)}, because {words}.{' '}
          </span>
        ))}
        {more > 0 && `${more} more ${more === 1 ? 'cause' : 'causes'}.`}
      </i>
    </p>
  );
}
