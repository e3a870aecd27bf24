import type { Migration } from '@/store/migrate';

/** What a point that is gone set free at its place: only what no other copy there still needed. */
export const freedBytes: Migration = {
  name: '0012-freed-bytes',
  statements: ['ALTER TABLE points ADD COLUMN freed_bytes BIGINT NULL'],
};
