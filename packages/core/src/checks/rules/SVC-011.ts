import { overlaps, parsePrefix, parseRange, prefixRange } from '../../address/parse.ts';
import { at, each } from '../check.ts';

export const SVC011 = each('Charter', {
  code: 'SVC-011',
  severity: 'stop',
  about: 'a pool is announced by BGP, and machines look for it on a network that it lies in',
  find: (c, view) => {
    if (c.servicePool?.announce !== 'bgp') return [];
    const pool = parseRange(c.servicePool.range);
    return view
      .by('Network', 'site', c.site)
      .filter((n) => n.name !== c.machineNetwork && n.vlan !== undefined && overlaps(prefixRange(parsePrefix(n.prefix)), pool))
      .map((n) =>
        at(c, ['servicePool', 'range'], {
          title: `${n.name} takes the pool of ${c.name} for its own`,
          text: `${c.servicePool?.range} lies in ${n.prefix}: machines on VLAN ${n.vlan} ask for such an address by ARP or NDP, and no node is there to answer. Routers that have an address in it prefer it to what they are told.`,
        }),
      );
  },
});
