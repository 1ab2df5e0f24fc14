import { at, each, openDoc, setTo } from '../check.ts';

export const CHT031 = each('Charter', {
  code: 'CHT-031',
  severity: 'stop',
  about: 'a service pool is announced by BGP, and nobody is named to speak with',
  find: (d) => {
    const pool = d.servicePool;
    if (pool?.announce !== 'bgp' || (pool.as !== undefined && pool.peers?.length)) return [];
    const lacks = [...(pool.as === undefined ? ['the AS number of its nodes'] : []), ...(pool.peers?.length ? [] : ['a router'])];
    return [
      at(d, ['servicePool', 'announce'], {
        title: `BGP without ${lacks.join(' and without ')}`,
        text: `${pool.range} is to be announced by BGP (RFC 4271), which is spoken between two AS numbers. Without both, no router learns where the pool is.`,
        remedy:
          pool.as === undefined && !pool.peers?.length
            ? setTo(d, ['servicePool', 'announce'], 'arp', 'Announce by ARP and NDP')
            : openDoc(d),
      }),
    ];
  },
});
