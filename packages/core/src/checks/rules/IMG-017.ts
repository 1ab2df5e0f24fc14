import { at, each, setTo } from '../check.ts';

export const IMG017 = each('Charter', {
  code: 'IMG-017',
  severity: 'mind',
  about: 'the mirror of a cluster stands at another site',
  find: (d, view) => {
    const [m, site] = [view.get('Registry', d.mirror), view.get('Site', d.site)];
    if (!m || m.role === 'source' || m.site === d.site || site?.reach === 'sealed') return [];
    const here = view.by('Registry', 'site', d.site).find((r) => r.role !== 'source');
    return [
      at(d, ['mirror'], {
        title: `Nodes of ${d.name} pull over the link from ${m.site}`,
        text: `${m.name} stands at ${m.site}, ${d.name} at ${d.site}.`,
        ...(here ? { remedy: setTo(d, ['mirror'], here.name, `Set ${here.name}`) } : {}),
      }),
    ];
  },
});
