import { estateAt } from '../../reading/at.ts';
import { returnPrecinct } from '../../reach/precinct.ts';
import { at, each } from '../check.ts';

export const NET047 = each('Network', {
  code: 'NET-047',
  severity: 'mind',
  about: 'a precinct is left over: its cluster is not there, or stands in another network',
  find: (n, view) => {
    if (n.precinct === undefined) return [];
    const charter = view.get('Charter', n.precinct);
    if (charter?.machineNetwork === n.name) return [];
    const used = view.by('Reservation', 'network', n.name).length > 0 || view.by('Charter', 'network', n.name).length > 0;
    return [
      at(n, ['precinct'], {
        title: `${n.name} is the precinct of ${n.precinct}, which ${charter ? `stands in ${charter.machineNetwork}` : 'is not there'}`,
        text: `It holds ${n.prefix}${n.vlan ? `, VLAN ${n.vlan}` : ''} and what its gateway has for it${used ? '; addresses in it are reserved still' : ''}.`,
        ...(used
          ? {}
          : { remedy: { label: 'Give the precinct back', edits: returnPrecinct(estateAt(view, n.site), n.precinct) } }),
      }),
    ];
  },
});
