import { each } from '../check.ts';
import { mendOutside } from '../mend.ts';

export const HST012 = each('Hypervisor', {
  code: 'HST-012',
  severity: 'mind',
  about: 'a hypervisor differs from what is declared',
  find: (h, view) => {
    const seen = view.get('seen hypervisor', h.name);
    if (!seen) return [];
    const wrong = seen.error
      ? [seen.error]
      : [
          ...h.networks
            .filter((n) => !seen.bridges.includes(n.bridge))
            .map((n) => `it has no bridge ${n.bridge} for ${n.network}`),
          ...h.pools.flatMap((p) => {
            const is = seen.pools.find((s) => s.name === p.name);
            return !is
              ? [`it has no pool ${p.name}`]
              : is.sizeGB < p.sizeGB
                ? [`pool ${p.name} has ${is.sizeGB} GB, declared are ${p.sizeGB} GB`]
                : [];
          }),
          ...(seen.memoryGiB < h.memoryGiB ? [`it has ${seen.memoryGiB} GiB, declared are ${h.memoryGiB} GiB`] : []),
          ...(seen.cores < h.cores ? [`it has ${seen.cores} cores, declared are ${h.cores}`] : []),
        ];
    return wrong.length
      ? [
          {
            subject: { kind: 'Hypervisor' as const, name: h.name },
            path: ['endpoint'],
            site: h.site,
            title: seen.error ? `${h.name} does not answer as a hypervisor` : `${h.name} differs from what is declared`,
            text: `${wrong.join('; ')}.`,
            remedy: mendOutside(h, seen.error ? seen.fault : undefined),
          },
        ]
      : [];
  },
});
