import { at, each } from '../check.ts';

export const STO026 = each('Charter', {
  code: 'STO-026',
  severity: 'mind',
  about: 'a plan names a volume that another plan names',
  find: (d) => {
    const first = new Map<string, string>();
    return (d.backups ?? []).flatMap((b, i) =>
      (b.volumes ?? []).flatMap((v, k) => {
        const by = first.get(v);
        if (by === undefined) {
          first.set(v, b.name);
          return [];
        }
        return [
          at(d, ['backups', i, 'volumes', k], {
            title: `${v} is backed up by ${by}, and ${b.name} names it too`,
            text: `${b.name} leaves it out.`,
          }),
        ];
      }),
    );
  },
});
