/** What a lane does besides its cadence and its ladder, in a few words. */
import { USUAL_SENDING, journalSpan, type Lane } from '@/core/protect/policy';
import { writeWindows } from '@/core/time/window-text';
import type { Opening, Window } from '@/core/time/window';
import { CONSISTENCY_WORDS } from '@/ui/consistency-words';
import { span } from '@/ui/format';

const FIRST = { 'at-once': '', 'at-night': 'first copy at night', shipped: 'first copy on a disk' } as const;

export function saySettings(lane: Lane): string {
  const { compression, encrypted } = lane.sending ?? USUAL_SENDING;
  const parts = [
    lane.kind === 'stream' ? `journal of ${span(journalSpan(lane))}` : sayFreeze(lane),
    lane.together ? 'workloads of an application at one instant' : '',
    `leaves out ${lane.excludeRoles.join(', ') || 'nothing'}`,
    lane.kind === 'snapshot'
      ? ''
      : `${compression === 'none' ? 'not compressed' : `${compression} compression`}${encrypted ? ', encrypted' : ''}`,
    FIRST[lane.firstCopy ?? 'at-once'],
    lane.opening ? sayOpening(lane.opening) : '',
  ];
  return parts.filter(Boolean).join('; ');
}

function sayFreeze({ kind, consistency, withoutFreeze, source }: Lane): string {
  if (kind === 'copy') return `of ${source ?? 'nothing'}`;
  const where = consistency !== 'crash' && withoutFreeze === 'go-on' ? ' where it can be had' : '';
  return `${CONSISTENCY_WORDS[consistency]}${where}`;
}

export const weeklyOf = (windows: readonly Window[]) => windows.filter((w) => w.kind === 'weekly');

function sayWindows(windows: readonly Window[]): string {
  const dated = windows.filter((w) => w.kind === 'dated').length;
  const parts = [writeWindows(weeklyOf(windows)), dated ? `in ${dated} dated ${dated === 1 ? 'span' : 'spans'}` : ''];
  return parts.filter(Boolean).join('; ');
}

function sayOpening({ windows, blackouts }: Opening): string {
  const only = windows.length ? `starts only ${sayWindows(windows)}` : '';
  const never = blackouts.length ? `never ${sayWindows(blackouts)}` : '';
  return [only, never].filter(Boolean).join(', ');
}
