/**
 * Why work is broken off that another engine has taken over: everything in the world that it made is that one's now, and
 * is neither taken back nor written down here.
 */
export class LostLease extends Error {
  override readonly name = 'LostLease';
  constructor(readonly subject: string) {
    super(`The lease of ${subject} is over, and another engine has it.`);
  }
}
