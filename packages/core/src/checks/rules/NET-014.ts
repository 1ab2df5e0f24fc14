import { contains, parsePrefix, prefixRange } from '../../address/parse.ts';
import { each } from '../check.ts';

export const NET014 = each('Network', {
  code: 'NET-014',
  severity: 'stop',
  about: 'a network says that it was carved out of one it does not lie in',
  find: (n, view) => {
    if (!n.parent) return [];
    const parent = view.get('Network', n.parent);
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
  },
});
