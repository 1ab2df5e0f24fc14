import { parsePrefix } from '../../address/parse.ts';
import { at, each, openDoc, setTo } from '../check.ts';

export const CHT042 = each('Charter', {
  code: 'CHT-042',
  severity: 'stop',
  about: 'the network for the other version of IP is not on the link of the machine network, or has the same version',
  find: (d, view) => {
    const here = view.by('Network', 'site', d.site);
    const machine = here.find((n) => n.name === d.machineNetwork);
    const other = here.find((n) => n.name === d.second?.network);
    if (!machine || !other) return [];
    const v = (n: typeof other) => parsePrefix(n.prefix).v;
    const why =
      v(machine) === v(other)
        ? `both have IPv${v(other)}`
        : machine.vlan !== other.vlan
          ? `${machine.name} has VLAN ${machine.vlan ?? 'none'}, ${other.name} ${other.vlan ?? 'none'}`
          : undefined;
    if (!why) return [];
    const fits = here.find((n) => n.purpose === 'machine' && v(n) !== v(machine) && n.vlan === machine.vlan);
    return [
      at(d, ['second', 'network'], {
        title: `${other.name} cannot carry the other version of IP`,
        text: `Its addresses are to stand beside those of ${machine.name} at one interface, and ${why}.`,
        remedy: fits ? setTo(d, ['second', 'network'], fits.name, `Set ${fits.name}`) : openDoc(other),
      }),
    ];
  },
});
