import { formatIp, parsePrefix, prefixRange } from '../address/parse.ts';
import type { Network } from '../model/documents.ts';
import type { Reach } from './graph.ts';
import type { End } from './trace.ts';

/** Somebody in a network: its first address that no router has. A network of routers alone has none: its last one stands for it then. */
export function someoneIn(reach: Reach, n: Network): End {
  const { v, first, last } = prefixRange(parsePrefix(n.prefix));
  let at = first + 1n;
  while (at < last && reach.at(n.name, formatIp({ v, n: at })).some((r) => r.interfaces.some((f) => f.network === n.name))) at++;
  return { label: `a machine in ${n.name}`, address: formatIp({ v, n: at < last ? at : last }), network: n.name, any: true };
}
