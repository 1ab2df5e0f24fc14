import { at, each, openDoc } from '../check.ts';

export const CHT040 = each('Charter', {
  code: 'CHT-040',
  severity: 'stop',
  about: 'a further network of a charter cannot be brought to its hosts',
  find: (d, view) => {
    const here = view.by('Network', 'site', d.site);
    const machine = here.find((n) => n.name === d.machineNetwork);
    return (d.networks ?? []).flatMap((name, i) => {
      const n = here.find((x) => x.name === name);
      if (!n) return [];
      const why =
        name === d.machineNetwork
          ? 'it is the machine network, in which they have an address already'
          : n.vlan === undefined
            ? 'it has no VLAN that could be tagged'
            : n.vlan === machine?.vlan
              ? `it has the VLAN of ${machine.name}, ${n.vlan}`
              : undefined;
      return why
        ? [
            at(d, ['networks', i], {
              title: `${name} cannot be a further network of ${d.name}`,
              text: `Hosts are to have an address in it, and ${why}.`,
              remedy: openDoc(n),
            }),
          ]
        : [];
    });
  },
});
