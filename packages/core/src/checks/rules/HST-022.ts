import { at, each } from '../check.ts';

export const HST022 = each('Host', {
  code: 'HST-022',
  severity: 'mind',
  about: 'a host is held for a charter that is not there, or stands elsewhere',
  find: (d, view) => {
    const name = d.held?.charter;
    if (!name) return [];
    const c = view.get('Charter', name);
    return c && c.site === d.site
      ? []
      : [
          at(d, ['held'], {
            title: `${d.name} is held for ${name}, ${c ? `which is at ${c.site}` : 'which is not there'}`,
            text: c
              ? `The host stands at ${d.site}; hosts of a cluster stand at its site.`
              : `No charter of that name is declared. Hosts of a cluster that was taken down are given back.`,
            remedy: { label: `Open ${d.name}`, act: { kind: 'open', path: `/hosts/${d.name}` } },
          }),
        ];
  },
});
