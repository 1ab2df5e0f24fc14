import type { Charter, ClusterRole, Host, PoolRole, Requirement } from '../model/documents.ts';

/** What the first pool of workers is called. */
export const firstPool = 'workers';

/** Labels of nodes that say which pool a node is in, and what that is kept for. */
export const poolLabel = 'praesidor/pool';
export const roleLabel = (role: PoolRole): string => `praesidor/${role}`;

/** A pool of hosts of a charter: the control plane, its workers, and each further pool, alike. */
export interface Pool {
  name: string;
  role: ClusterRole;
  /** Where it stands in the charter. */
  path: (string | number)[];
  count: number;
  arch: Charter['arch'];
  /** The operating system that is named; without it, the first of the release. */
  system?: string;
  minCores: number;
  minMemoryGiB: number;
  needs: readonly Requirement[];
  from?: 'metal' | 'guests';
  mould?: string;
  zones?: readonly string[];
  labels: readonly string[];
  taints: readonly string[];
  roles: readonly PoolRole[];
  hosts: readonly string[];
}

type Asked = Charter['controlPlane'] & Partial<Pick<Charter['workers'], 'arch' | 'roles'>>;
const poolFrom = (charter: Charter, name: string, role: ClusterRole, path: Pool['path'], a: Asked): Pool => ({
  name,
  role,
  path,
  count: a.count,
  arch: a.arch ?? charter.arch,
  minCores: a.minCores ?? 0,
  minMemoryGiB: a.minMemoryGiB ?? 0,
  needs: a.needs ?? [],
  ...(a.from ? { from: a.from } : {}),
  ...(a.system ? { system: a.system } : {}),
  ...(a.mould ? { mould: a.mould } : {}),
  ...(a.zones?.length ? { zones: a.zones } : {}),
  labels: a.labels ?? [],
  taints: a.taints ?? [],
  roles: a.roles ?? [],
  hosts: a.hosts ?? [],
});

/** The pools of a charter in the order in which they are given hosts: control plane, workers, further pools as they stand. */
export const poolsOf = (c: Charter): Pool[] => [
  poolFrom(c, 'control-plane', 'control-plane', ['controlPlane'], c.controlPlane),
  poolFrom(c, firstPool, 'worker', ['workers'], c.workers),
  ...(c.pools ?? []).map((p, i) => poolFrom(c, p.name, 'worker', ['pools', i], p)),
];
/** The pools of workers alone. */
export const workerPools = (c: Charter): Pool[] => poolsOf(c).slice(1);
/** Hosts that a charter asks for, all pools together. */
export const nodeCount = (c: Charter): number => c.controlPlane.count + workerCount(c);
export const workerCount = (c: Charter): number => (c.pools ?? []).reduce((n, p) => n + p.count, c.workers.count);

/** What a host of a plan is held for; of the first pool of workers the pool goes without saying. */
export const heldFor = (charter: string, node: { role: ClusterRole; pool: string }): NonNullable<Host['held']> => ({
  charter,
  role: node.role,
  ...(node.role === 'worker' && node.pool !== firstPool ? { pool: node.pool } : {}),
});

/** The pool that a host is held for, by its name; the first pool of workers where that was not said. */
export const heldPool = (held: NonNullable<Host['held']>): string =>
  held.role === 'control-plane' ? 'control-plane' : (held.pool ?? firstPool);
