/** Why a run or a drill step fails: one catalogue for engine, database and interface. */

export const CAUSE_CODES = [
  'site-no-answer',
  'link-down',
  'guest-credentials',
  'repository-full',
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
  'link-down': {
    title: 'Link {} is down',
    remedy: 'Ask the network team about the line; copies over it resume where they stood once it is up.',
    retryable: true,
  },
  'guest-credentials': {
    title: 'Guest agent of {} refuses its credentials',
    remedy:
      'Renew the credentials of the guest agent, then run the lane again; until then points have no guest freeze.',
    retryable: false,
  },
  'repository-full': {
    title: 'Repository {} is full',
    remedy: 'Add capacity or shorten a ladder that writes to it; existing points stay usable.',
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
