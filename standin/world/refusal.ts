import type { CauseCode } from '@/core/protect/cause';

/** The world says no: with a cause that the catalogue knows. */
export class WorldRefusal extends Error {
  override readonly name = 'WorldRefusal';
  constructor(
    readonly code: CauseCode,
    readonly subject: string,
    detail: string,
  ) {
    super(detail);
  }
}
