import { coverageFor, at, clockOf, each } from '../check.ts';
import { momentText } from '../../words/moments.ts';

const hour = 3_600_000;

export const STO031 = each('Charter', {
  code: 'STO-031',
  severity: 'mind',
  about: 'a volume has no backup as young as its plan says',
  find: (d, view) => {
    const seen = view.get('seen backups', d.name);
    if (!seen) return [];
    const now = Date.parse(view.now);
    return coverageFor(view, d).flatMap((v) => {
      const newest = seen.volumes[v.name];
      if (v.loses === undefined || !v.plan) return [];
      // What follows another cluster is backed up there.
      if (d.standbys?.some((s) => s.workload === v.workload) && seen.standbys?.[v.workload]?.state !== 'active') return [];
      const index = (d.backups ?? []).findIndex((b) => b.name === v.plan?.name);
      // An hour for what is under way at the moment.
      if (newest && now - Date.parse(newest.at) <= v.loses + hour) return [];
      return [
        at(d, ['backups', index, 'at'], {
          title: newest
            ? `No backup of ${v.name} since ${momentText(newest.at, clockOf(view, d.site))}`
            : `There is no backup of ${v.name}`,
          text: `${v.plan.name} runs at ${v.plan.at}.`,
          remedy: { label: 'Open its volumes', act: { kind: 'open' as const, path: `/clusters/${d.name}?tab=volumes` } },
        }),
      ];
    });
  },
});
