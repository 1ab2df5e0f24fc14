import { at, each, openDoc, planFor } from '../check.ts';

export const CHT041 = each('Charter', {
  code: 'CHT-041',
  severity: 'stop',
  about: 'a further network has a larger MTU than what carries it',
  find: (d, view) => {
    const { network, networks, nodes } = planFor(view, d);
    return networks.flatMap((n) => {
      // On an adapter of its own it may be as large as it likes.
      const shared = nodes.filter((x) => x.further?.some((f) => f.network === n.name && !f.adapter));
      return network && n.mtu > network.mtu && shared.length
        ? [
            at(d, ['networks', (d.networks ?? []).indexOf(n.name)], {
              title: `MTU ${n.mtu} of ${n.name} does not fit on ${network.name}`,
              text: `${shared[0]?.host}${shared.length > 1 ? ` and ${shared.length - 1} more` : ''} carry it on the link of the machine network, whose MTU is ${network.mtu}: a VLAN has at most that of its link (IEEE 802.1Q).`,
              remedy: openDoc(network),
            }),
          ]
        : [];
    });
  },
});
