import { momentText } from '../../words/moments.ts';
import { at, clockOf, each } from '../check.ts';

export const STO037 = each('Charter', {
  code: 'STO-037',
  severity: 'mind',
  about: 'a standby copy was activated, and what it is of has not been ended',
  find: (d, view) =>
    (d.standbys ?? []).flatMap((s, i) => {
      const seen = view.get('seen backups', d.name)?.standbys?.[s.workload];
      if (seen?.state !== 'active' || seen.ended) return [];
      return [
        at(d, ['standbys', i], {
          title: `${s.workload} was activated while ${s.cluster} did not answer: ${s.of} may still run there`,
          text: `${seen.by ?? 'Somebody'} activated it${seen.since ? ` at ${momentText(seen.since, clockOf(view, d.site))}` : ''}. It is ended there as soon as ${s.cluster} answers.`,
          remedy: { label: 'Open its volumes', act: { kind: 'open' as const, path: `/clusters/${d.name}?tab=volumes` } },
        }),
      ];
    }),
});
