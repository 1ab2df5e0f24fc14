import { keptApart, networksSharing } from '../ranges.ts';
import { at, each } from '../check.ts';

export const NET023 = each('Network', {
  code: 'NET-023',
  severity: 'note',
  about: 'a sealed site uses addresses that another site uses too',
  find: (d, view) => {
    return (networksSharing(view).get(d.name) ?? []).flatMap((name) => {
      const other = view.get('Network', name);
      if (!other || other.name > d.name || !keptApart(d, other, view)) return [];
      return [
        at(d, ['prefix'], {
          title: `${d.name} has addresses of ${other.name}`,
          text: `${d.prefix} and ${other.prefix} share addresses. ${d.site} and ${other.site} do not reach each other, since one of them is sealed.`,
        }),
      ];
    });
  },
});
