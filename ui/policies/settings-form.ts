/** A lane's settings as the fields of its editor, both ways. */
import {
  USUAL_SENDING,
  type Consistency,
  type DiskRole,
  type FirstCopy,
  type Lane,
  type Sending,
} from '@/core/protect/policy';
import { parseWindows, writeWindows } from '@/core/time/window-text';
import { weeklyOf } from '@/ui/policies/lane-words';

/** What the guest is asked for, and whether a run goes on where that cannot be had. */
export const FREEZE_CHOICES = [
  'crash',
  'filesystem',
  'filesystem or crash',
  'application',
  'application or crash',
] as const;
export type FreezeChoice = (typeof FREEZE_CHOICES)[number];
export interface SettingsFields {
  readonly freeze: FreezeChoice;
  readonly excludeRoles: readonly DiskRole[];
  readonly compression: Sending['compression'];
  readonly encrypted: boolean;
  readonly firstCopy: FirstCopy;
  readonly together: boolean;
  /** Hours in which it may start; empty: all. */
  readonly only: string;
  readonly never: string;
  readonly source: string;
  /** Place by site; absent: its workloads have none. */
  readonly targets: Readonly<Record<string, number>>;
}

export function settingsOf(lane: Lane): SettingsFields {
  const { compression, encrypted } = lane.sending ?? USUAL_SENDING;
  const { consistency } = lane;
  return {
    freeze: consistency !== 'crash' && lane.withoutFreeze === 'go-on' ? `${consistency} or crash` : consistency,
    excludeRoles: lane.excludeRoles,
    compression,
    encrypted,
    firstCopy: lane.firstCopy ?? 'at-once',
    together: lane.together ?? false,
    only: writeWindows(weeklyOf(lane.opening?.windows ?? [])),
    never: writeWindows(weeklyOf(lane.opening?.blackouts ?? [])),
    source: lane.source ?? '',
    targets: lane.targets,
  };
}

/** Settings that are as usual are left out, so that a lane says only what is special about it. */
export type Settings = Pick<Lane, 'consistency' | 'excludeRoles' | 'targets'> & Partial<Lane>;
export type ReadSettings =
  | { readonly ok: true; readonly settings: Settings }
  | { readonly ok: false; readonly errors: Readonly<Record<string, string>> };

/** @param zone of the windows as they are typed; dated windows stay as they are */
export function readSettings(fields: SettingsFields, lane: Lane, zone: string): ReadSettings {
  const only = parseWindows(fields.only, zone);
  const never = parseWindows(fields.never, zone);
  const errors = {
    ...(only ? {} : { only: 'Write hours such as every day 22:00-06:00, or nothing.' }),
    ...(never ? {} : { never: 'Write hours such as weekdays 08:00-18:00; Sun 00:00-24:00, or nothing.' }),
  };
  if (!only || !never) return { ok: false, errors };
  const dated = (windows: NonNullable<Lane['opening']>['windows'] = []) => windows.filter((w) => w.kind === 'dated');
  const windows = [...only, ...dated(lane.opening?.windows)];
  const blackouts = [...never, ...dated(lane.opening?.blackouts)];
  const sent = lane.kind !== 'snapshot';
  const settings: Settings = {
    consistency: fields.freeze.split(' ', 1)[0] as Consistency,
    excludeRoles: fields.excludeRoles,
    targets: fields.targets,
    ...(fields.freeze.endsWith(' or crash') ? { withoutFreeze: 'go-on' as const } : {}),
    ...(sent && (fields.encrypted || fields.compression !== USUAL_SENDING.compression)
      ? { sending: { compression: fields.compression, encrypted: fields.encrypted } }
      : {}),
    ...(fields.firstCopy === 'at-once' ? {} : { firstCopy: fields.firstCopy }),
    ...(fields.together ? { together: true } : {}),
    ...(windows.length || blackouts.length ? { opening: { windows, blackouts } } : {}),
    ...(lane.kind === 'copy' ? { source: fields.source } : {}),
  };
  return { ok: true, settings };
}
