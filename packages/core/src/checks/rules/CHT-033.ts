import { holds, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import { at, each, openDoc } from '../check.ts';

export const CHT033 = each('Charter', {
  code: 'CHT-033',
  severity: 'stop',
  about: 'a router of a service pool lies outside the machine network',
  find: (d, view) => {
    const network = view.by('Network', 'site', d.site).find((n) => n.name === d.machineNetwork);
    if (!network || d.servicePool?.announce !== 'bgp') return [];
    const range = prefixRange(parsePrefix(network.prefix));
    return (d.servicePool.peers ?? []).flatMap((p, i) =>
      holds(range, parseIp(p.address))
        ? []
        : [
            at(d, ['servicePool', 'peers', i, 'address'], {
              title: `${p.address} is no neighbour of the nodes`,
              text: `Between two AS numbers BGP is spoken over one link (RFC 4271 §5.1.3); ${network.name} is ${network.prefix}.`,
              remedy: openDoc(d),
            }),
          ],
    );
  },
});
