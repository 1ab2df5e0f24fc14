import { billsOf } from '../../model/bills.ts';
import { keptAt } from '../../images/mirror.ts';
import { each } from '../check.ts';

export const IMG007 = each('Registry', {
  code: 'IMG-007',
  severity: 'mind',
  about: 'a name at a registry stands for another image than its bill says',
  find: (r, view) => {
    const names = view.get('seen registry', r.name)?.names;
    if (!names || r.role === 'source') return [];
    const users = view.by('Charter', 'mirror', r.name);
    const wanted = new Map<string, string>(
      users
        .flatMap((c) => billsOf(c))
        .flatMap((n) => view.get('bill', n)?.images ?? [])
        .map((i) => {
          const { repository, tag } = keptAt(i.ref, r);
          return [`${repository}:${tag ?? ''}`, i.digest] as const;
        }),
    );
    const moved = names.filter((n) => {
      const at = n.lastIndexOf('@');
      const want = wanted.get(n.slice(0, at));
      return want !== undefined && want !== n.slice(at + 1);
    });
    return moved.length
      ? [
          {
            subject: { kind: 'Registry' as const, name: r.name },
            path: ['endpoint'],
            site: r.site,
            title: `${moved.length === 1 ? 'A name has' : `${moved.length} names have`} moved at ${r.name}`,
            text: `${moved
              .slice(0, 2)
              .map((n) => n.split('@')[0])
              .join(
                ', ',
              )}${moved.length > 2 ? ` and ${moved.length - 2} more` : ''}: somebody put another image under a name that ${users.map((c) => c.name).join(' and ')} ${users.length === 1 ? 'pulls' : 'pull'}. A shipment sets it right.`,
          },
        ]
      : [];
  },
});
