import type { Consistency } from '@/core/protect/policy';

/** What a point is taken with. */
export const CONSISTENCY_WORDS: Readonly<Record<Consistency, string>> = {
  crash: 'without guest freeze',
  filesystem: 'with file systems flushed',
  application: 'with guest freeze',
};
