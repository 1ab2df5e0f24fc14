import { contains, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET014: Check = {
  code: 'NET-014',
  severity: 'stop',
  about: 'a network says that it was carved out of one it does not lie in',
  reads: ['networks'],
  find: ({ estate, network }) =>
    estate.networks.flatMap((n) => {
      if (!n.parent) return [];
      const parent = network(n.parent);
      if (parent && parent !== n && contains(prefixRange(parsePrefix(parent.prefix)), prefixRange(parsePrefix(n.prefix))))
        return [];
      return [
        {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['parent'],
          site: n.site,
          title: `${n.name} does not lie in ${n.parent}`,
          text: parent ? `${n.prefix} is not inside ${parent.prefix}.` : `There is no network ${n.parent}.`,
          remedy: {
            label: 'Let it stand by itself',
            edits: [{ op: 'set' as const, kind: 'Network' as const, key: n.name, path: ['parent'], value: undefined }],
          },
        },
      ];
    }),
};
