import type { Migration } from '@/store/migrate';

/** Since when a cause is over: who heard of it after that need not be told that it got worse. */
export const overSince: Migration = {
  name: '0011-over-since',
  statements: [
    'ALTER TABLE causes ADD COLUMN over_ms BIGINT NULL',
    `UPDATE causes SET over_ms = from_ms WHERE state = 'over'`,
  ],
};
