import { privateAs } from '../reach.ts';
import { at, each, setTo } from '../check.ts';

export const CHT034 = each('Charter', {
  code: 'CHT-034',
  severity: 'mind',
  about: 'the AS number of the nodes is a public one',
  find: (d) => {
    const { as, announce, peers = [] } = d.servicePool ?? {};
    if (announce !== 'bgp' || as === undefined || privateAs(as)) return [];
    const used = new Set(peers.map((p) => p.as));
    const free = [64512, 64513, 64514].find((n) => !used.has(n)) ?? 64515;
    return [
      at(d, ['servicePool', 'as'], {
        title: `AS ${as} belongs to somebody on the internet`,
        text: 'Numbers from 64512 to 65534, and from 4200000000 on, are for use within an organisation (RFC 6996).',
        remedy: setTo(d, ['servicePool', 'as'], free, `Set ${free}`),
      }),
    ];
  },
});
