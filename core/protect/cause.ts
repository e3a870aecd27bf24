/** Why a run or a drill step fails: one catalogue for engine, database and interface. */

export const CAUSE_CODES = [
  'site-no-answer',
  'site-credentials',
  'name-lookup',
  'clock-drift',
  'link-down',
  'mover-gone',
  'host-lost',
  'guest-credentials',
  'guest-agent-missing',
  'freeze-timeout',
  'repository-full',
  'repository-read-only',
  'no-source-point',
  'no-target',
  'stuck-snapshot',
  'disks-moving',
  'not-in-journal',
  'immutable',
  'check-failed',
  'corrupt-copy',
  'unknown-subject',
  'drill-network',
  'internal',
] as const;
export type CauseCode = (typeof CAUSE_CODES)[number];

export interface CauseEntry {
  /** What happened, with the subject put in for `{}`. */
  readonly title: string;
  /** What the person should do next. */
  readonly remedy: string;
  /** True if trying again may help without a person. */
  readonly retryable: boolean;
}

export const CAUSES: Readonly<Record<CauseCode, CauseEntry>> = {
  'site-no-answer': {
    title: '{} does not answer',
    remedy: 'Check power and network of the site controller; runs go on by themselves once it answers.',
    retryable: true,
  },
  'site-credentials': {
    title: '{} refuses our credentials',
    remedy: 'Renew the account of the site controller and enter the new credentials; existing points stay usable.',
    retryable: true,
  },
  'name-lookup': {
    title: 'The name of {} leads elsewhere',
    remedy: 'Correct the name entry of the site controller (forward and reverse); runs go on by themselves after that.',
    retryable: true,
  },
  'clock-drift': {
    title: 'The clock of {} is wrong',
    remedy: 'Set the time source of the site controller; until then the age of its points could not be trusted.',
    retryable: true,
  },
  'link-down': {
    title: 'Link {} is down',
    remedy: 'Ask the network team about the line; copies over it resume where they stood once it is up.',
    retryable: true,
  },
  'mover-gone': {
    title: 'Data mover {} is gone',
    remedy: 'Start the mover again or give its work to another one; runs begin their try anew once it answers.',
    retryable: true,
  },
  'host-lost': {
    title: 'The hosts of {} are lost',
    remedy: 'Bring the hosts back, or fail the workloads over; points taken before stay usable.',
    retryable: true,
  },
  'guest-credentials': {
    title: 'Guest agent of {} refuses its credentials',
    remedy:
      'Renew the credentials of the guest agent, then run the lane again; until then points have no guest freeze.',
    retryable: false,
  },
  'guest-agent-missing': {
    title: 'No guest agent in {}',
    remedy: 'Install the guest agent, or let the lane fall back to a point without guest freeze.',
    retryable: false,
  },
  'freeze-timeout': {
    title: 'Guest freeze of {} took too long',
    remedy: 'Look at what the guest writes at that time, or let the lane fall back to a point without guest freeze.',
    retryable: true,
  },
  'repository-full': {
    title: 'Repository {} is full',
    remedy: 'Add capacity or shorten a ladder that writes to it; existing points stay usable.',
    retryable: true,
  },
  'repository-read-only': {
    title: 'Repository {} takes no changes',
    remedy: 'Look at the storage below it and mount it writable; existing points stay usable.',
    retryable: true,
  },
  'no-source-point': {
    title: 'No point of {} is there to copy',
    remedy: 'Look at the lane that this one copies from; its next point is copied by itself.',
    retryable: true,
  },
  'no-target': {
    title: 'No place is named for {}',
    remedy: 'Name a place for that site in the lane of the policy and apply it; workloads of other sites go on.',
    retryable: false,
  },
  'stuck-snapshot': {
    title: 'A snapshot of {} cannot be removed',
    remedy:
      'End what still reads the disks of the machine; its removal is tried again every hour. The point itself is good.',
    retryable: true,
  },
  'disks-moving': {
    title: 'The disks of {} are being moved',
    remedy: 'Nothing to do: the run goes on by itself once the move is over.',
    retryable: true,
  },
  'not-in-journal': {
    title: 'The journal of {} does not reach that instant',
    remedy: 'Choose an instant inside the spans that its page shows.',
    retryable: false,
  },
  immutable: {
    title: 'A copy at {} is immutable',
    remedy: 'Nothing to do: it may be deleted after its date, and not before.',
    retryable: true,
  },
  'check-failed': {
    title: 'A check failed on {}',
    remedy: 'Look at the service on the clone in the test network, mend its start, and drill again.',
    retryable: false,
  },
  'corrupt-copy': {
    title: 'The copy of {} differs from its source',
    remedy: 'Take a new point, and drill again from it; do not rely on the old one.',
    retryable: false,
  },
  'unknown-subject': {
    title: '{} is not known at the site',
    remedy: 'Read the inventory of the site again; the machine may have been moved or deleted.',
    retryable: false,
  },
  'drill-network': {
    title: '{} has no test network',
    remedy: 'Mark an isolated network of the target site as test network, then drill again.',
    retryable: false,
  },
  internal: {
    title: 'Unexpected failure at {}',
    remedy: 'Look into the engine log under the number of the run; run the lane again.',
    retryable: true,
  },
};

export function isCauseCode(code: string): code is CauseCode {
  return (CAUSE_CODES as readonly string[]).includes(code);
}

/** The title of a cause with its subject. */
export function causeTitle(code: CauseCode, subject: string): string {
  return CAUSES[code].title.replace('{}', subject);
}

/** What a failure is folded by: one cause, many effects. */
export const causeKey = (code: string, subject: string): string => `${code}/${subject}`;

/** The title of a cause by a code that a database gave, which an older version may not know. */
export function titleOf(code: string, subject: string): string {
  return isCauseCode(code) ? causeTitle(code, subject) : `${code} ${subject}`;
}
