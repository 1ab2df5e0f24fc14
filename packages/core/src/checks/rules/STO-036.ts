import { at, each } from '../check.ts';

export const STO036 = each('Charter', {
  code: 'STO-036',
  severity: 'mind',
  about: 'a standby copy is at the same site as what it is of',
  find: (d, view) =>
    (d.standbys ?? []).flatMap((s, i) =>
      s.cluster !== d.name && view.get('Charter', s.cluster)?.site === d.site
        ? [
            at(d, ['standbys', i], {
              title: `The standby copy ${s.workload} is at the same site as ${s.cluster}`,
              text: `Both are at ${view.get('Site', d.site)?.title ?? d.site}.`,
            }),
          ]
        : [],
    ),
});
