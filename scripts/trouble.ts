/** Something the person at the keyboard can mend: what happened, and what to do. */
export class Trouble extends Error {
  override readonly name = 'Trouble';
  constructor(
    what: string,
    readonly remedy: string,
  ) {
    super(what);
  }
}
