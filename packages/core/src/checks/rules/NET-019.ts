import { serverList } from '../../address/parse.ts';
import { at, chartersAt, each, openDoc } from '../check.ts';

export const NET019 = each('Site', {
  code: 'NET-019',
  severity: 'mind',
  about: 'a site with clusters has no time server',
  find: (d, view) => {
    if (serverList(d.ntp).servers.length || !chartersAt(view, d.name).length) return [];
    const without = [...new Set(view.by('Charter', 'site', d.name).map((c) => c.machineNetwork))].filter(
      (n) => !serverList(view.get('Network', n)?.ntp ?? []).servers.length,
    );
    return without.length
      ? [
          at(d, ['ntp'], {
            title: `${d.title} has no time server`,
            text: `Hosts in ${without.join(', ')} would keep the time that they were switched on with; a certificate can be not yet valid on one and ended on another.`,
            remedy: openDoc(d),
          }),
        ]
      : [];
  },
});
