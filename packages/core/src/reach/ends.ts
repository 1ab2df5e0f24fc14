import { formatIp, holds, isIp, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { resolve } from '../charter/resolve.ts';
import type { Plan } from '../charter/plan.ts';
import type { Charter, Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { nearest } from '../model/nearest.ts';
import { answeringNodes, slowestOf } from './announce.ts';
import { inside, type Reach } from './graph.ts';
import { someoneIn } from './someone.ts';
import type { End, Inside } from './trace.ts';

/** What of a cluster can be named as an end, besides its planned services by name. */
const uses = ['api', 'inbound', 'pod'] as const;

/**
 * The end of a path, as somebody writes it: an address (`10.62.8.66`; where several networks have it, `lr-machine/10.62.8.66`), a network (one of its addresses),
 * a host, a cluster (its API), or what of a cluster (`plover/inbound`, `plover/pod`, `plover/radar-archive`: one of its planned services, by an address of its own or at
 * a port of every node). What a packet goes to can lie outside as well: an address of no network that is declared, or the word `outside`.
 * @throws Error with what is lacking
 */
export function endOf(estate: Estate, reach: Reach, text: string, side: 'from' | 'to' = 'from'): End {
  const [first = '', ...rest] = text.trim().split('/');
  const of = rest.join('/');
  const network = reach.networks.get(first);
  if (network) return of ? inNetwork(estate, reach, network, of) : someoneIn(reach, network);
  if (isIp(text.trim())) return anywhere(estate, reach, formatIp(parseIp(text.trim())), side);
  const charter = estate.charters.find((c) => c.name === first);
  if (charter) return ofCluster(resolve(charter, estate), reach, of || 'api');
  const reservation = estate.reservations.find(
    (r) => !r.resting && r.name === undefined && r.owner.kind === 'host' && r.owner.name === first && usable(reach, r.network),
  );
  if (reservation) {
    const holds = estate.hosts.find((h) => h.name === first)?.held?.charter;
    return { label: first, address: reservation.address, network: reservation.network, ...proxied(reach, holds) };
  }
  for (const c of estate.charters) {
    const plan = resolve(c, estate);
    const node = plan.nodes.find((n) => n.host === first);
    const at = node && isIp(node.address) ? (plan.network ?? reach.around(node.address)[0]) : undefined;
    if (node && at) return { label: first, address: node.address, network: at.name, ...proxied(reach, c.name) };
  }
  if (estate.hosts.some((h) => h.name === first)) throw new Error(`${first} has no address in a network of machines yet`);
  for (const g of estate.gateways)
    for (const m of g.members)
      if (m.name === first && m.interfaces[0])
        return { label: m.name, address: m.interfaces[0].address, network: m.interfaces[0].network };
  if (first === 'outside' && side === 'to') return { label: 'the outside', address: outside[4], network: '' };
  const near = nearest(first, [
    ...reach.networks.keys(),
    ...estate.hosts.map((h) => h.name),
    ...estate.charters.map((c) => c.name),
  ]);
  throw new Error(`${text} is no address, network, host or cluster${near ? `; did you mean ${near}?` : ''}`);
}

/** Addresses that nobody has, for texts (RFC 5737, RFC 3849): they stand for everything outside. */
export const outside = { 4: '198.51.100.1', 6: '2001:db8::1' } as const;
const proxied = (reach: Reach, charter: string | undefined): Pick<End, 'proxy'> => {
  const proxy = reach.proxies.get(charter ?? '');
  return proxy ? { proxy } : {};
};

function ofCluster(plan: Plan, reach: Reach, use: string): End {
  const { name } = plan.charter;
  if (use === 'api' || use === 'inbound') {
    const { address } = plan[use];
    if (!address) throw new Error(`${name} has no ${use} address yet`);
    const at = plan.network ?? reach.around(address)[0];
    if (!at) throw new Error(`${address} of ${name} lies in no network that is declared`);
    return { label: `${use === 'api' ? 'API' : 'inbound address'} of ${name}`, address, network: at.name };
  }
  if (use === 'pod') {
    const network = machinesOf(plan);
    const range = prefixRange(parsePrefix(plan.charter.pods.range));
    return {
      label: `a pod of ${name}`,
      address: formatIp({ v: range.v, n: range.first + 2n }),
      network: network.name,
      any: true,
      cluster: insideOf(plan, 'pod', network),
    };
  }
  const port = plan.charter.nodePorts?.find((s) => s.name === use || `${s.namespace}/${s.name}` === use);
  if (port) {
    const network = machinesOf(plan);
    const node = plan.nodes.find((n) => isIp(n.address))?.address ?? someoneIn(reach, network).address;
    return {
      label: port.name,
      address: node,
      network: network.name,
      any: true,
      port: { number: port.port, protocol: port.protocol },
      cluster: insideOf(plan, 'node-port', network),
    };
  }
  const service = plan.services.find((s) => s.name === use || `${s.namespace}/${s.name}` === use);
  if (!service) {
    const known = [...uses, ...plan.services.map((s) => s.name), ...(plan.charter.nodePorts ?? []).map((s) => s.name)];
    throw new Error(`${name} has no ${use}: there are ${known.join(', ')}`);
  }
  if (!service.address) throw new Error(`the pool of ${name} has no free address left for ${use}`);
  return { ...serviceAt(plan, reach, service.address), label: service.name };
}

const machinesOf = (plan: Plan): Network => {
  if (!plan.network)
    throw new Error(`${plan.charter.machineNetwork}, which ${plan.charter.name} has its machines in, is not declared`);
  return plan.network;
};
const insideOf = (plan: Plan, is: Inside['is'], network: Network): Inside => ({
  charter: plan.charter.name,
  is,
  overlay: plan.charter.overlay.kind,
  mtu: plan.podMtu.pod,
  gbit: slowestOf(plan),
  announce: plan.charter.servicePool?.announce ?? 'arp',
  nodes: answeringNodes(plan).length,
  network: network.name,
  node: plan.nodes[0]?.address ?? '',
});
/** A service address: in the network that it lies in, or in that of the nodes, which announce it. */
function serviceAt(plan: Plan, reach: Reach, address: string): End {
  const machines = machinesOf(plan);
  const at = inside(machines, address) ? machines : (reach.around(address).find((n) => n.site === plan.charter.site) ?? machines);
  const planned = plan.services.find((s) => s.address === address);
  return {
    label: planned?.name ?? `service of ${plan.charter.name}`,
    address,
    network: at.name,
    cluster: insideOf(plan, 'service', machines),
  };
}

const usable = (reach: Reach, name: string) => reach.networks.get(name)?.purpose === 'machine';
/** The cluster whose published services have an address, as seen from a network, or from anywhere. */
const publisher = (reach: Reach, address: string, site?: string): Charter | undefined =>
  reach.pools.find((p) => holds(p.range, parseIp(address)) && (!site || p.charter.site === site))?.charter;

function inNetwork(estate: Estate, reach: Reach, n: Network, text: string): End {
  if (!isIp(text)) throw new Error(`${text} is no address`);
  const address = formatIp(parseIp(text));
  if (!inside(n, address)) throw new Error(`${address} does not lie in ${n.name}, which is ${n.prefix}`);
  const charter = publisher(reach, address, n.site);
  if (charter) return serviceAt(resolve(charter, estate), reach, address);
  return { label: reach.owner(n.name, address) ?? address, address, network: n.name };
}

function anywhere(estate: Estate, reach: Reach, address: string, side: 'from' | 'to'): End {
  const [first, ...others] = reach.around(address);
  if (!first) {
    const charter = publisher(reach, address);
    if (charter) return serviceAt(resolve(charter, estate), reach, address);
    const [of, ...more] = reach.pods.longest(parseIp(address))?.value ?? [];
    if (of && !more.length) {
      const plan = resolve(of, estate);
      const network = machinesOf(plan);
      return { label: `pod of ${of.name}`, address, network: network.name, cluster: insideOf(plan, 'pod', network) };
    }
    if (side === 'to') return { label: address, address, network: '' };
    throw new Error(`${address} lies in no network that is declared`);
  }
  // Networks that are carved out of one another are no question: the smallest is meant.
  const same = others.filter((n) => n.prefix === first.prefix);
  if (same.length)
    throw new Error(`${address} lies in ${[first, ...same].map((n) => n.name).join(' and ')}: write ${first.name}/${address}`);
  return inNetwork(estate, reach, first, address);
}
