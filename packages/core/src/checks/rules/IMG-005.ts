import { each } from '../check.ts';
import { mendOutside } from '../mend.ts';

export const IMG005 = each('Registry', {
  code: 'IMG-005',
  severity: 'mind',
  about: 'a registry cannot be looked at',
  find: (r, view) => {
    const seen = view.get('seen registry', r.name);
    const e = seen?.error;
    return e
      ? [
          {
            subject: { kind: 'Registry' as const, name: r.name },
            path: ['endpoint'],
            site: r.site,
            title: `${r.name} cannot be looked at`,
            text: `${e}. What it holds is what was seen last.`,
            remedy: mendOutside(r, seen?.fault),
          },
        ]
      : [];
  },
});
