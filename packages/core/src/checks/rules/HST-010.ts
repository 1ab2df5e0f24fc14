import { standingPacking } from '../../hosts/guests.ts';
import { estateAt } from '../../reading/index.ts';
import { each } from '../check.ts';

export const HST010 = each('Site', {
  code: 'HST-010',
  severity: 'mind',
  about: 'when one hypervisor fails, its guests find no room at the others',
  find: ({ name: site }, view) => {
    if (!view.by('Hypervisor', 'site', site).length) return [];
    const bad = standingPacking(estateAt(view, site), site).losses.filter((l) => l.stranded.length);
    const worst = [...bad].sort((a, b) => b.stranded.length - a.stranded.length)[0];
    return worst
      ? [
          {
            subject: { kind: 'Hypervisor' as const, name: worst.hypervisor },
            path: ['memoryGiB'],
            site,
            title: `${worst.stranded.length} of ${worst.guests} guests are lost with ${worst.hypervisor}`,
            text: `${worst.stranded.slice(0, 4).join(', ')} would find no room; ${worst.memoryLeftGiB} GiB are left at the others then${bad.length > 1 ? `. So it is with ${bad.length - 1} more` : ''}.`,
            remedy: { label: 'Show hypervisors', act: { kind: 'open' as const, path: `/hosts/hypervisors?site=${site}` } },
          },
        ]
      : [];
  },
});
