import { at, each, openDoc } from '../check.ts';

export const IMG014 = each('Charter', {
  code: 'IMG-014',
  severity: 'mind',
  about: 'the mirror of a charter has no authority to be verified by',
  find: (d, view) => {
    const m = view.get('Registry', d.mirror);
    return m && !m.ca
      ? [
          at(d, ['mirror'], {
            title: `${m.name} has no CA`,
            text: `Nodes of ${d.name} pull from ${m.endpoint}, and nothing says which authority its certificate is to be verified by.`,
            remedy: openDoc(m, 'Add its CA'),
          }),
        ]
      : [];
  },
});
