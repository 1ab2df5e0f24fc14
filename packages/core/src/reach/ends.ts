import { formatIp, holds, isIp, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { resolve } from '../charter/resolve.ts';
import type { Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';
import { nearest } from '../model/nearest.ts';
import type { Reach } from './graph.ts';
import type { End } from './trace.ts';

/**
 * The end of a path, as somebody writes it: an address (`10.62.8.66`; where several networks have it, `lr-machine/10.62.8.66`), a network (one of its addresses),
 * a host, a cluster (its API), or what of a cluster (`plover/inbound`). @throws Error with what is lacking
 */
export function endOf(estate: Estate, reach: Reach, text: string): End {
  const [first = '', ...rest] = text.trim().split('/');
  const of = rest.join('/');
  const network = reach.networks.get(first);
  if (network) return of ? inNetwork(reach, network, of) : someAddress(reach, network);
  if (isIp(text.trim())) return anywhere(reach, formatIp(parseIp(text.trim())));
  const charter = estate.charters.find((c) => c.name === first);
  if (charter) {
    const plan = resolve(charter, estate);
    const use = of || 'api';
    if (use !== 'api' && use !== 'inbound') throw new Error(`${first} has no ${use}: there are api and inbound`);
    const { address } = plan[use];
    if (!address) throw new Error(`${first} has no ${use} address yet`);
    const at = plan.network ?? reach.at(address)[0];
    if (!at) throw new Error(`${address} of ${first} lies in no network that is declared`);
    return { label: `${use === 'api' ? 'API' : 'inbound address'} of ${first}`, address, network: at.name };
  }
  const reservation = estate.reservations.find(
    (r) => !r.resting && r.name === undefined && r.owner.kind === 'host' && r.owner.name === first && usable(reach, r.network),
  );
  if (reservation) return { label: first, address: reservation.address, network: reservation.network };
  for (const c of estate.charters) {
    const plan = resolve(c, estate);
    const node = plan.nodes.find((n) => n.host === first);
    const at = node && isIp(node.address) ? (plan.network ?? reach.at(node.address)[0]) : undefined;
    if (node && at) return { label: first, address: node.address, network: at.name };
  }
  if (estate.hosts.some((h) => h.name === first)) throw new Error(`${first} has no address in a network of machines yet`);
  const near = nearest(first, [
    ...reach.networks.keys(),
    ...estate.hosts.map((h) => h.name),
    ...estate.charters.map((c) => c.name),
  ]);
  throw new Error(`${text} is no address, network, host or cluster${near ? `; did you mean ${near}?` : ''}`);
}

const usable = (reach: Reach, name: string) => reach.networks.get(name)?.purpose === 'machine';
const within = (n: Network, address: string) => holds(prefixRange(parsePrefix(n.prefix)), parseIp(address));

function inNetwork(reach: Reach, n: Network, text: string): End {
  if (!isIp(text)) throw new Error(`${text} is no address`);
  const address = formatIp(parseIp(text));
  if (!within(n, address)) throw new Error(`${address} does not lie in ${n.name}, which is ${n.prefix}`);
  return { label: reach.owner(n.name, address) ?? address, address, network: n.name };
}

function anywhere(reach: Reach, address: string): End {
  const [first, ...others] = reach.at(address);
  if (!first) throw new Error(`${address} lies in no network that is declared`);
  // Networks that are carved out of one another are no question: the smallest is meant.
  const same = others.filter((n) => n.prefix === first.prefix);
  if (same.length)
    throw new Error(`${address} lies in ${[first, ...same].map((n) => n.name).join(' and ')}: write ${first.name}/${address}`);
  return inNetwork(reach, first, address);
}

/** An address of a network that is not its router's. */
function someAddress(reach: Reach, n: Network): End {
  const { v, first, last } = prefixRange(parsePrefix(n.prefix));
  for (let at = first + 1n; at <= last; at++) {
    const address = formatIp({ v, n: at });
    if (address !== reach.routers.get(n.name)?.address)
      return { label: `a machine in ${n.name}`, address, network: n.name, any: true };
  }
  throw new Error(`${n.name} has no address beside its router's`);
}
