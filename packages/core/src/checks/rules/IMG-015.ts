import { at, each, openDoc } from '../check.ts';

export const IMG015 = each('Charter', {
  code: 'IMG-015',
  severity: 'note',
  about: 'nodes pull from their mirror without a credential',
  find: (d, view) => {
    const m = view.get('Registry', d.mirror);
    return m && !m.credential && m.role !== 'source'
      ? [
          at(d, ['mirror'], {
            title: `${m.name} is asked without a credential`,
            text: `Nodes of ${d.name} pull as nobody in particular.`,
            remedy: openDoc(m),
          }),
        ]
      : [];
  },
});
