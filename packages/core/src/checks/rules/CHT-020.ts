import { fits } from '../../charter/placement.ts';
import { at, each, planFor } from '../check.ts';

export const CHT020 = each('Charter', {
  code: 'CHT-020',
  severity: 'mind',
  about: 'all workers stand in one zone, and others have room',
  find: (d, view) => {
    const { nodes, notChosen } = planFor(view, d);
    const workers = nodes.filter((n) => n.role === 'worker');
    const zones = new Set(workers.map((n) => n.zone));
    const [zone] = zones;
    if (workers.length < 2 || zones.size > 1 || !zone) return [];
    const elsewhere = notChosen.filter((n) => n.why === fits && (view.get('Host', n.host)?.zone ?? zone) !== zone);
    return elsewhere.length
      ? [
          at(d, ['workers', 'count'], {
            title: `All workers of ${d.name} stand in zone ${zone}`,
            text: `${elsewhere
              .slice(0, 3)
              .map((n) => n.host)
              .join(', ')} would fit in another zone.`,
            remedy: { label: 'Show the hosts', act: { kind: 'open', path: `/hosts?site=${d.site}` } },
          }),
        ]
      : [];
  },
});
