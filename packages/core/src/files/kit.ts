import type { Plan, PlannedNode } from '../charter/plan.ts';
import { roleLabel } from '../charter/pools.ts';
import type { PoolRole } from '../model/documents.ts';
import { addonsOf } from '../model/bills.ts';
import type { Estate } from '../model/estate.ts';
import { taintOf } from './taint.ts';

/** One file of a boot kit. `from` names what it was computed from, as paths into charter and estate. */
export interface KitFile {
  path: string;
  content: string;
  from: string[];
  secret: boolean;
}
/** A file that lies on a node; `user-data` carries it there. */
export interface NodeFile {
  path: string;
  mode: string;
  content: string;
  from: string[];
  secret: boolean;
}

/** What the writers may ask. Secrets come by name; without a keyring a placeholder stands in their place. */
export interface KitContext {
  plan: Plan;
  estate: Estate;
  secret: (name: string) => string;
  /** Where a host fetches its kit, secrets among it; it ends without a slash, and is closed when the build ends. */
  bootUrl: (host: string) => string;
  /** Where a host reports and waits at its gate: nothing secret is behind it. */
  reportUrl: (host: string) => string;
  /** Where machines reach the server, if one is there. */
  server?: string;
  /** What tells the data of this installation from those of another on a node's disks: the build. */
  installation: string;
  /** Which one laid out the disks of a host that is installed anew and keeps what is on them. */
  laidOutBy?: (host: string) => string | undefined;
  /** Hosts of a cluster that stood when a change of it began; none: it is built. */
  stands?: readonly string[];
  /** Whether disks of a host that hold anything else are erased. */
  erase?: (host: string) => boolean;
}
export interface ClusterWriter {
  name: string;
  write: (ctx: KitContext) => KitFile[];
}
export interface NodeWriter {
  name: string;
  write: (ctx: KitContext, node: PlannedNode) => NodeFile[];
}

export const placeholder = (cluster: string) => (name: string) => `(kept in the keyring: ${cluster} ${name})`;
export const file = (path: string, content: string, from: string[], secret = false): KitFile => ({
  path,
  content: content.endsWith('\n') ? content : `${content}\n`,
  from,
  secret,
});
export const nodeFile = (
  path: string,
  content: string,
  from: string[],
  options: { mode?: string; secret?: boolean } = {},
): NodeFile => ({
  path,
  mode: options.mode ?? (options.secret ? '0600' : '0644'),
  content: content.endsWith('\n') ? content : `${content}\n`,
  from,
  secret: options.secret ?? false,
});
export const controlPlane = (plan: Plan) => plan.nodes.filter((n) => n.role === 'control-plane');
/** Nodes of the pools that are kept for something. */
export const keptFor = (plan: Plan, role: PoolRole) => plan.nodes.filter((n) => n.labels.includes(`${roleLabel(role)}=yes`));
/** Where the pods of something go that nodes are kept for: onto those, past their taints; anywhere where there are none. */
export function placedOn(plan: Plan, role: PoolRole) {
  const nodes = keptFor(plan, role);
  if (!nodes.length) return {};
  const past = tolerations(nodes);
  return { nodeSelector: { [roleLabel(role)]: 'yes' }, ...(past.length ? { tolerations: past } : {}) };
}
/** What lets pods past the taints of nodes. */
export const tolerations = (nodes: readonly PlannedNode[]) =>
  [...new Set(nodes.flatMap((n) => n.taints))].map((text) => {
    const t = taintOf(text);
    const effect = t.effect as 'NoSchedule' | 'PreferNoSchedule' | 'NoExecute';
    return { ...t, effect, operator: t.value === undefined ? ('Exists' as const) : ('Equal' as const) };
  });
/** The image of a component by its name, or undefined when neither release nor add-ons have it. */
export const imageOf = (ctx: KitContext, component: string): string | undefined =>
  componentsOf(ctx).find((c) => c.name === component)?.image;
export function componentsOf({ plan, estate }: KitContext) {
  const addons = addonsOf(plan.charter).flatMap((name) => estate.addons.find((a) => a.name === name)?.components ?? []);
  return [...(plan.release?.components ?? []), ...addons];
}
