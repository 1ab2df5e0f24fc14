import { nearest } from '../../model/nearest.ts';
import { at, each, setTo } from '../check.ts';

export const IMG018 = each(['Release', 'Addon'], {
  code: 'IMG-018',
  severity: 'mind',
  about: 'the source of a release or add-on is not declared',
  find: (d, view) => {
    if (view.get('Registry', d.source)) return [];
    const near = nearest(
      d.source,
      view.by('Registry', 'role', 'source').map((r) => r.name),
    );
    return [
      at(d, ['source'], {
        charters: view.by('Charter', 'bill', d.name).map((c) => c.name),
        title: `${d.name} comes from ${d.source}, which is not declared`,
        text: 'Its images are named, and nothing says where they are read from.',
        ...(near ? { remedy: setTo(d, ['source'], near, `Set ${near}`) } : {}),
      }),
    ];
  },
});
