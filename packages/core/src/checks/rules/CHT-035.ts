import { at, each, setTo } from '../check.ts';

export const CHT035 = each('Charter', {
  code: 'CHT-035',
  severity: 'note',
  about: 'routers are named, and the service pool is not announced by BGP',
  find: (d) => {
    const pool = d.servicePool;
    return pool?.announce === 'arp' && pool.peers?.length
      ? [
          at(d, ['servicePool', 'announce'], {
            title: `${pool.peers.length === 1 ? 'A router is' : 'Routers are'} named, and not used`,
            text: `${pool.range} is announced by ARP and NDP: one node answers for each address, and nobody speaks with ${pool.peers[0]?.address}.`,
            remedy: setTo(d, ['servicePool', 'peers'], undefined, 'Take the routers out'),
          }),
        ]
      : [];
  },
});
