import { differences } from '../model/difference.ts';
import type { Charter } from '../model/documents.ts';

/** How a change reaches a cluster that stands. */
export const ways = {
  'at once': 'nothing stops for it',
  rolling: 'one host after the other, while the rest goes on',
  'with a restart': 'what it is about stops for a moment',
  'made anew': 'what it is about is taken away and made again',
  impossible: 'not in a cluster that stands: it would have to be built anew',
} as const;
export type Way = keyof typeof ways;

/** For the fields of a charter, by the first names of their path: how a change of it comes about, and why. The first that fits counts. */
const rules: readonly [path: string, way: Way, why: string][] = [
  ['site', 'impossible', 'hosts stand where they stand'],
  ['machineNetwork', 'impossible', 'the addresses of all nodes, and of etcd, come from it'],
  ['arch', 'impossible', 'no node of another architecture can take part in the same control plane'],
  ['pods.range', 'impossible', 'every node has its block of it, which it keeps'],
  ['pods.perNode', 'impossible', 'blocks that nodes have are not made larger or smaller'],
  ['services.range', 'impossible', 'services keep the addresses that they have, the DNS of the cluster among them'],
  ['second', 'impossible', 'nodes, pods and services that stand have the addresses that they have'],
  ['overlay.kind', 'impossible', 'nodes of two encapsulations do not hear each other'],
  ['release', 'rolling', 'control plane first, then hosts one after the other'],
  ['mirror', 'rolling', 'the container runtime of each host reads its configuration again'],
  ['proxy', 'rolling', 'the container runtime of each host is started again'],
  ['overlay.mtu', 'rolling', 'pods keep the MTU they began with until they are started again'],
  ['pods.most', 'rolling', 'the kubelet of each host is started again'],
  ['timers', 'rolling', 'the control plane and the kubelet of each host are started again'],
  ['api.names', 'rolling', 'the API servers get another certificate, one after the other'],
  ['api.addresses', 'rolling', 'the API servers get another certificate, one after the other'],
  ['api', 'made anew', 'every kubeconfig, also those that people have, names the old one'],
  ['inbound', 'with a restart', 'connections that stand end; names lead to the new address when caches have run out'],
  ['servicePool', 'with a restart', 'services whose address is in it no longer get another one'],
  ['nodePorts', 'at once', 'a service comes and goes by itself'],
  ['apart', 'at once', 'what is kept apart is looked at from then on; nothing of the cluster changes'],
  ['certificates', 'rolling', 'certificates are made for the new time when they are next renewed'],
  ['controlPlane.system', 'rolling', 'each machine is drained and installed anew, one after the other'],
  ['workers.system', 'rolling', 'each machine is drained and installed anew, one after the other'],
  ['controlPlane', 'rolling', 'etcd members join or leave one after the other'],
  ['workers', 'rolling', 'hosts join at once, and leave when they are drained'],
  ['except', 'rolling', 'hosts that serve are drained and leave; others take their place'],
  ['networks', 'rolling', 'each host takes its network configuration anew'],
  ['nodesFrom', 'impossible', 'nodes that stand keep their addresses, and later ones follow behind them'],
  ['podNetwork', 'impossible', 'nodes of two pod networks do not hear each other'],
  ['workloads', 'at once', 'what is rehearsed is another; nothing of the cluster changes'],
  ['storage', 'at once', 'classes come and go; volumes that were made stay as they are'],
  ['backups', 'at once', 'the next backup goes by it'],
  ['standbys', 'at once', 'copies are kept of the next backup on; nothing else of the cluster changes'],
  ['ntp', 'rolling', 'it is written on each host'],
  ['syslog', 'rolling', 'it is written on each host'],
  ['timezone', 'rolling', 'it is written on each host'],
  ['answers', 'with a restart', 'the programs of the add-on are started again'],
  ['pools', 'rolling', 'hosts join at once, and leave when they are drained'],
  ['addons', 'at once', 'an add-on comes and goes by itself'],
  ['sshKeys', 'rolling', 'they are written on each host'],
  ['keepAddresses', 'at once', 'the next change goes by it'],
  ['workersAtOnce', 'at once', 'the next change goes by it'],
  ['template', 'at once', 'it says where the charter comes from'],
  ['purpose', 'at once', 'it is for people'],
  ['owner', 'at once', 'it is for people'],
  ['team', 'at once', 'what it takes counts in the allowance of that team'],
  ['notes', 'at once', 'it is for people'],
];

export interface FieldComes {
  path: string;
  before?: unknown;
  after?: unknown;
  way: Way;
  why: string;
}

/** What was changed in a charter of a cluster that stands, and how each change comes about; the hardest first. */
export function comesAbout(before: Charter, after: Charter): FieldComes[] {
  const order = Object.keys(ways).reverse();
  return differences(before, after)
    .map(({ path, before: b, after: a }): FieldComes => {
      const text = path.join('.');
      const rule = rules.find(([p]) => text === p || text.startsWith(`${p}.`));
      return { path: text, before: b, after: a, way: rule?.[1] ?? 'made anew', why: rule?.[2] ?? 'how is not known' };
    })
    .sort((x, y) => order.indexOf(x.way) - order.indexOf(y.way) || (x.path < y.path ? -1 : 1));
}
/** Fields that have a rule. */
export const ruledPaths = rules.map(([p]) => p);
