import { coverage, takenIn } from '../../backup/plans.ts';
import { gigabytesText } from '../../words/amounts.ts';
import { at, each, setTo } from '../check.ts';

export const STO020 = each('BackupStore', {
  code: 'STO-020',
  severity: 'mind',
  about: 'a store for backups is too small for what is to be kept there',
  find: (s, view) => {
    if (!s.sizeGB) return [];
    const charters = view.all('Charter').filter((c) => c.backups?.some((b) => b.store === s.name));
    if (!charters.length) return [];
    const sites = [...new Set([s.site, ...charters.map((c) => c.site)])].flatMap((n) => view.get('Site', n) ?? []);
    const now = Date.parse(view.now);
    const estate = { sites, backupStores: [s], charters };
    const taken = takenIn(s, estate, now).sort((a, b) => b.gb - a.gb);
    const sum = taken.reduce((all, t) => all + t.gb, 0);
    if (sum <= s.sizeGB) return [];
    // As many fewer of the plan that takes the most as it needs to fit.
    const [worst] = taken;
    const charter = charters.find((c) => c.name === worst?.charter);
    const index = (charter?.backups ?? []).findIndex(
      (b) => b.store === s.name && b.keep.last !== undefined && b.keep.days === undefined,
    );
    const plan = charter?.backups?.[index];
    let fewer = plan?.keep.last ?? 0;
    if (charter && plan)
      for (fewer -= 1; fewer > 1; fewer--) {
        const backups = charter.backups?.map((b) => (b === plan ? { ...b, keep: { last: fewer } } : b));
        const less = coverage({ ...charter, backups } as typeof charter, estate, now).reduce((all, v) => all + v.storeGB, 0);
        if (sum - (worst?.gb ?? 0) + less <= s.sizeGB) break;
      }
    return [
      at(s, ['sizeGB'], {
        title: `${s.name} may hold ${gigabytesText(s.sizeGB)}, and backups come to ${gigabytesText(sum)}`,
        text: `${taken
          .slice(0, 4)
          .map((t) => `${t.charter} ${gigabytesText(t.gb)}`)
          .join(', ')}, once their plans have run long enough.`,
        ...(charter && plan && fewer > 1
          ? {
              remedy: setTo(
                charter,
                ['backups', index, 'keep', 'last'],
                fewer,
                `Keep ${fewer} of ${charter.name} instead of ${plan.keep.last}`,
              ),
            }
          : {}),
      }),
    ];
  },
});
