import { at, each, setTo } from '../check.ts';

export const IMG016 = each('Charter', {
  code: 'IMG-016',
  severity: 'stop',
  about: 'a cluster at a sealed site pulls from the open source',
  find: (d, view) => {
    const [m, site] = [view.get('Registry', d.mirror), view.get('Site', d.site)];
    if (!m || site?.reach !== 'sealed' || (m.role !== 'source' && view.get('Site', m.site)?.reach !== 'open')) return [];
    const here = view.by('Registry', 'site', d.site).find((r) => r.role !== 'source' && r.name !== m.name);
    return [
      at(d, ['mirror'], {
        title: `${m.name} cannot be reached from ${site.title}`,
        text: `${site.title} is sealed, and ${m.name} is ${m.role === 'source' ? 'the open source' : `at ${m.site}`}.`,
        ...(here ? { remedy: setTo(d, ['mirror'], here.name, `Set ${here.name}`) } : {}),
      }),
    ];
  },
});
