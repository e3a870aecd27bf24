import type { Migration } from '@/store/migrate';

/**
 * What every round of the engine asks for is found by a key: the open misses, few among many, and whether a workload
 * has a running run. The second is also the rule that it has at most one, whatever engines there are.
 */
export const hotPaths: Migration = {
  name: '0002-hot-paths',
  statements: [
    'ALTER TABLE misses ADD KEY misses_is_open (is_open)',
    `ALTER TABLE runs ADD COLUMN running_workload INT UNSIGNED AS (IF(state = 'running', workload_id, NULL)) STORED,
       ADD UNIQUE KEY runs_running (running_workload)`,
  ],
};
