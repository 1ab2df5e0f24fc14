import { mayLagMs, standbyVolumes } from '../../backup/standby.ts';
import { momentText } from '../../words/moments.ts';
import { secondsText } from '../../words/amounts.ts';
import { at, clockOf, coverageFor, each } from '../check.ts';

export const STO033 = each('Charter', {
  code: 'STO-033',
  severity: 'mind',
  about: 'a standby copy is further behind than it may be',
  find: (d, view) =>
    (d.standbys ?? []).flatMap((s, i) => {
      const seen = view.get('seen backups', d.name)?.standbys?.[s.workload];
      const there = view.get('Charter', s.cluster);
      if (!there || !seen?.holds || seen.state === 'active') return [];
      const may = mayLagMs(s, standbyVolumes(d, s, there).pairs, coverageFor(view, there));
      const lag = Date.parse(view.now) - Date.parse(seen.holds);
      if (may === undefined || lag <= may) return [];
      return [
        at(d, ['standbys', i], {
          title: `The standby copy of ${s.of} of ${s.cluster} is ${secondsText(lag / 1000)} behind`,
          text: `It holds what was there at ${momentText(seen.holds, clockOf(view, d.site))}${seen.fault ? `. The last try: ${seen.fault.replace(/\.$/, '')}` : ''}.`,
          remedy: { label: 'Open its volumes', act: { kind: 'open' as const, path: `/clusters/${d.name}?tab=volumes` } },
        }),
      ];
    }),
});
