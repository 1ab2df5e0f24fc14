import { unmarked } from '../../charter/disks.ts';
import { each, planFor, serves } from '../check.ts';

export const CHT012 = each('Charter', {
  code: 'CHT-012',
  severity: 'stop',
  about: 'disks of a host cannot be told apart',
  find: (c, view) =>
    serves(view, c)
      ? []
      : planFor(view, c).nodes.flatMap((n) => {
          const [first, ...more] = unmarked(n);
          return first
            ? [
                {
                  subject: { kind: 'Host' as const, name: n.host },
                  path: ['facts', 'disks'],
                  site: c.site,
                  charters: [c.name],
                  title: `The disk in ${[first, ...more].map((d) => d.bay).join(' and ')} of ${n.host} has no serial`,
                  text: `${c.name} lays out its disks, and finds each by its serial or WWN: without one it could take another. Read its facts from the controller, or write the serials into the host's document.`,
                  remedy: { label: `Open ${n.host}`, act: { kind: 'open' as const, path: `/hosts/${n.host}` } },
                },
              ]
            : [];
        }),
});
