import type { PlannedNode } from '../../charter/plan.ts';
import { parseIp } from '../../address/parse.ts';
import { proxyAlive } from '../cluster/kube-proxy.ts';
import { controlPlane, imageOf, keptFor, type KitContext, nodeFile, type NodeWriter } from '../kit.ts';
import { hostPort } from '../quote.ts';
import { balancerAlive } from './load-balancer.ts';

/** An address that moves between hosts, and where each says whether it can serve it. */
interface Virtual {
  name: 'api' | 'inbound';
  address: string;
  alive: { address: string; port: number; path: string };
  hosts: PlannedNode[];
}

/** The API address stands on the control plane; the inbound address on workers that are kept for it, else on any, else on the control plane. */
function virtualAddresses(ctx: KitContext): Virtual[] {
  const { api, inbound, nodes } = ctx.plan;
  const workers = nodes.filter((n) => n.role === 'worker');
  const kept = keptFor(ctx.plan, 'inbound');
  const out: Virtual[] = [];
  if (api.address) out.push({ name: 'api', address: api.address, alive: balancerAlive, hosts: controlPlane(ctx.plan) });
  if (inbound.address && imageOf(ctx, 'inbound-router'))
    out.push({
      name: 'inbound',
      address: inbound.address,
      alive: proxyAlive,
      // A few are enough to move it between; all of a hundred would advertise to each other.
      hosts: (kept.length ? kept : workers.length ? workers : controlPlane(ctx.plan)).slice(0, 5),
    });
  return out;
}
/** Whether a node takes part in moving an address. */
export const movesAddresses = (ctx: KitContext, node: PlannedNode): boolean =>
  virtualAddresses(ctx).some((v) => v.hosts.some((h) => h.host === node.host));

/** By the last bits of the address: two of one network have different ones, unless they are 255 apart. */
const routerId = (address: string) => 1 + Number(parseIp(address).n % 255n);

/** Of equals the one with the higher address goes first (RFC 9568, 6.4.3); it follows from nobody else, so that who comes and goes changes nothing here. */
const priorityOf = (node: PlannedNode) => 100 + Number(parseIp(node.address).n % 100n);

/**
 * They speak by multicast on the link (RFC 9568, 5.1.1.2 and 5.1.2.2), which switches flood (RFC 4541, 2.1.2): a host that comes is heard by those that stand, and none
 * needs a list of the others. VRRP (RFC 9568) moves the API address and the inbound address between hosts: each leaves a host that cannot serve it, as that
 * host itself says. With one host it is there, or nowhere.
 */
export const virtualAddress: NodeWriter = {
  name: 'virtual addresses',
  write: (ctx, node) => {
    const here = virtualAddresses(ctx).filter((v) => v.hosts.some((h) => h.host === node.host));
    if (!here.length) return [];
    const used = new Set<number>();
    const instances = here.flatMap(({ name, address, alive }) => {
      let id = routerId(address);
      while (used.has(id)) id = 1 + (id % 255);
      used.add(id);
      return [
        `vrrp_script ${name} {`,
        `  script "/usr/bin/curl -fsS -o /dev/null -m 2 http://${hostPort(alive.address, alive.port)}${alive.path}"`,
        '  interval 2',
        '  timeout 3',
        '  fall 2',
        '  rise 2',
        '}',
        `vrrp_instance ${name} {`,
        '  state BACKUP',
        `  interface ${node.nic}`,
        `  virtual_router_id ${id}`,
        `  priority ${priorityOf(node)}`,
        '  advert_int 1',
        '  track_script {',
        `    ${name}`,
        '  }',
        '  virtual_ipaddress {',
        `    ${address}/${ctx.plan.network?.prefix.split('/')[1] ?? 24}`,
        '  }',
        '}',
      ];
    });
    return [
      nodeFile(
        '/etc/keepalived/keepalived.conf',
        ['global_defs {', '  enable_script_security', '  script_user root', '}', ...instances, ''].join('\n'),
        ['charter.api', 'charter.inbound', 'ledger', 'charter.controlPlane', 'charter.workers', 'charter.pools'],
      ),
    ];
  },
};
