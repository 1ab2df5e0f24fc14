import type { KitContext, KitFile, NodeFile } from './kit.ts';
import { cloudInit } from './writers/cloud-init.ts';
import { disks } from './writers/disks.ts';
import { dhcp } from './writers/dhcp.ts';
import { commandLine, ipxe } from './writers/ipxe.ts';
import { kubeconfig } from './writers/kubeconfig.ts';
import { loadBalancer } from './writers/load-balancer.ts';
import { manifests } from './writers/manifests.ts';
import { network } from './writers/network.ts';
import { prepare } from './writers/prepare.ts';
import { kubelet } from './writers/kubelet.ts';
import { bootScript } from './writers/boot-script.ts';
import { pki } from './writers/pki.ts';
import { resolvers } from './writers/resolvers.ts';
import { serverAccountFiles } from './writers/server-account.ts';
import { runtime } from './writers/runtime.ts';
import { staticPods } from './writers/static-pods.ts';
import { virtualAddress } from './writers/virtual-addresses.ts';
import { syslog } from './writers/syslog.ts';
import { volumes } from './writers/volumes.ts';
import { summary } from './writers/summary.ts';
import { zones } from './writers/zones.ts';

/** Files that lie on a node, in the order in which user-data writes them. A new one is a file and a line here. */
export const nodeWriters = [
  network,
  resolvers,
  prepare,
  disks,
  volumes,
  syslog,
  runtime,
  pki,
  kubelet,
  staticPods,
  loadBalancer,
  virtualAddress,
  serverAccountFiles,
  bootScript,
] as const;
/** Files of the cluster as a whole. */
export const clusterWriters = [kubeconfig, manifests, zones, dhcp, summary] as const;

/**
 * The whole boot kit, sorted by path. The same plan and secrets give the same bytes.
 *
 * @param of a host: its files alone; `cluster`: those of the cluster as a whole
 */
export function bootKit(ctx: KitContext, of?: string): KitFile[] {
  const files: KitFile[] = of === undefined || of === 'cluster' ? clusterWriters.flatMap((w) => w.write(ctx)) : [];
  for (const node of ctx.plan.nodes) {
    if (of !== undefined && of !== node.host) continue;
    const onNode = nodeWriters.flatMap((w) => w.write(ctx, node));
    files.push(
      ...onNode.map((f) => ({ path: `hosts/${node.host}/root${f.path}`, content: f.content, from: f.from, secret: f.secret })),
    );
    files.push(...cloudInit(ctx, node, onNode), ...ipxe(ctx, node), ...commandLine(ctx, node));
  }
  return files.sort((a, b) => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0));
}

/** What is put on a host that runs: its files with their modes, by their paths, and what it starts from later, by name. */
export function runningFiles(ctx: KitContext, host: string): { root: NodeFile[]; seed: Record<string, string> } {
  const node = ctx.plan.nodes.find((n) => n.host === host);
  if (!node) return { root: [], seed: {} };
  const root = nodeWriters.flatMap((w) => w.write(ctx, node));
  // A guest has its root on a volume, and reads no first-boot data any more.
  if (node.guest) return { root, seed: {} };
  const read = ['user-data', 'meta-data', 'network-config'];
  const made = cloudInit(ctx, node, root).map((f) => [f.path.split('/').at(-1) ?? '', f.content] as const);
  return { root, seed: Object.fromEntries(made.filter(([name]) => read.includes(name))) };
}

/** What one host fetches when it boots: user-data, meta-data, network-config and the iPXE script, by name. */
export function bootFiles(ctx: KitContext, host: string): Record<string, string> {
  const node = ctx.plan.nodes.find((n) => n.host === host);
  if (!node) return {};
  const made = [
    ...cloudInit(
      ctx,
      node,
      nodeWriters.flatMap((w) => w.write(ctx, node)),
    ),
    ...ipxe(ctx, node),
  ];
  return Object.fromEntries(made.map((f) => [f.path.split('/').at(-1) ?? f.path, f.content]));
}
