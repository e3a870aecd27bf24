/** How a command says no: an HTTP status, what is wrong, where, and what to do. One catalogue for all commands. */
export const REFUSALS = {
  'not-signed-in': { status: 401, remedy: 'Sign in, then do it again.' },
  'wrong-credentials': { status: 401, remedy: 'Check name and password; an administrator can set a new one.' },
  'not-allowed': { status: 403, remedy: 'Ask somebody with the role that is named.' },
  'bad-token': { status: 403, remedy: 'Load the page again, then do it again.' },
  'bad-input': { status: 422, remedy: 'Mend the fields that are named; nothing was changed.' },
  'not-found': { status: 404, remedy: 'It may have been removed; load the page again.' },
  conflict: { status: 409, remedy: 'Load the page again to see how it stands now.' },
  'too-many-tries': { status: 429, remedy: 'Wait a minute, then try again.' },
  'no-answer': { status: 502, remedy: 'Check that the site controller runs, then do it again.' },
} as const;
export type RefusalCode = keyof typeof REFUSALS;

export class Refusal extends Error {
  override readonly name = 'Refusal';
  readonly status: number;
  readonly remedy: string;
  constructor(
    readonly code: RefusalCode,
    message: string,
    /** What is wrong with each field, by its path. */
    readonly fields: Readonly<Record<string, string>> = {},
  ) {
    super(message);
    this.status = REFUSALS[code].status;
    this.remedy = REFUSALS[code].remedy;
  }
}
