import type { Migration } from '@/store/migrate';

/** Points may be taken with the file systems of the guest flushed; at the end, so that no row has to be written anew. */
export const filesystem: Migration = {
  name: '0013-filesystem',
  statements: [`ALTER TABLE points MODIFY consistency ENUM('crash', 'application', 'filesystem') NOT NULL`],
};
