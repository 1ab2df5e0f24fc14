import type { Pool } from '../charter/pools.ts';

/** Whether a component runs on nodes of a pool, by where it says that it runs. `alone`: the cluster has no workers. */
export const runsOn =
  (pool: Pick<Pool, 'role'>, alone: boolean) =>
  (on: string): boolean =>
    on === 'node' || (pool.role === 'worker' || alone ? on === 'worker' || on === 'cluster' : false) || on === pool.role;
