import { each } from '../check.ts';
import { mendOutside } from '../mend.ts';

export const DNS007 = each('Zone', {
  code: 'DNS-007',
  severity: 'mind',
  about: 'a zone cannot be read from its server',
  find: (z, view) => {
    const seen = view.get('served zone', z.name);
    const e = seen?.error;
    return e
      ? [
          {
            subject: { kind: 'Zone' as const, name: z.name },
            path: [],
            site: z.site,
            title: `${z.name} cannot be read`,
            text: `${e}. Whether it serves what is planned is not known.`,
            remedy: mendOutside(z, seen?.fault),
          },
        ]
      : [];
  },
});
