import { momentText } from '../../words/moments.ts';
import { clockOf, each } from '../check.ts';

export const HST009 = each('Host', {
  code: 'HST-009',
  severity: 'mind',
  about: 'a host says that it is not well, or a drive is nearly worn out',
  find: (h, view) => {
    const f = h.facts;
    if (!f || h.state === 'retired') return [];
    const worn = (left: number | undefined) => left !== undefined && left < 10;
    const bad = f.disks.filter((d) => worn(d.lifeLeft) || !['OK', undefined].includes(d.health));
    if (!bad.length && (!f.health || f.health === 'OK')) return [];
    return [
      {
        subject: { kind: 'Host' as const, name: h.name },
        path: ['facts', 'health'],
        site: h.site,
        title: bad.length ? `${h.name}: replace the drive in ${bad[0]?.bay}` : `${h.name} says that its health is ${f.health}`,
        text: bad.length
          ? bad
              .map(
                (d) =>
                  `${d.bay}: ${d.health && d.health !== 'OK' ? `health ${d.health}` : `${d.lifeLeft} % of its endurance left`}`,
              )
              .join('; ')
              .concat('.')
          : `Read ${momentText(f.at, clockOf(view, h.site))}; its event log says more.`,
        remedy: { label: 'Open its page', act: { kind: 'open' as const, path: `/hosts/${h.name}` } },
      },
    ];
  },
});
