import { at, each } from '../check.ts';

export const CHT032 = each('Charter', {
  code: 'CHT-032',
  severity: 'mind',
  about: 'a service pool is announced to one router alone',
  find: (d) => {
    const { peers = [], announce } = d.servicePool ?? {};
    return announce === 'bgp' && peers.length === 1 && d.controlPlane.count > 1
      ? [
          at(d, ['servicePool', 'peers'], {
            title: `${d.name} speaks with one router`,
            text: `While ${peers[0]?.address} is away, nothing that is published is reached from outside.`,
          }),
        ]
      : [];
  },
});
