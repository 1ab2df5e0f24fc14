import { type Announcement, announcements } from '../../reach/announce.ts';
import { counted, secondsText } from '../../words/amounts.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';
import { nodes } from './nodes.ts';
import { timers } from './timers.ts';

/** How published services are made known: both ways with what each gives, so that one is chosen with the other in sight. */
export const announcing = aspect<Pick<Plan, 'announcing'>>({
  name: 'announcing',
  compute: ({ charter, view, need }) => ({
    announcing: charter.servicePool
      ? announcements(
          { charter, nodes: need(nodes).nodes, timers: need(timers).timers },
          charter.servicePool.peers?.length ? view.by('Gateway', 'site', charter.site) : [],
        )
      : [],
  }),
  lines: ({ announcing }) =>
    announcing.map((a) => ({
      id: `announced-${a.by}`,
      section: 4 as const,
      label: a.by === 'arp' ? 'By ARP, NDP' : 'By BGP',
      text: said(a),
      why: [
        ...(a.chosen ? [because('announced so', {}, ['servicePool', 'announce'])] : []),
        ...a.parts.map((p) => because('part of an outage', { what: p.what, seconds: p.seconds })),
        ...a.needs.map((what) => because('announcing needs', { what })),
        ...a.lacks.map((what) => because('announcing lacks', { what })),
      ],
    })),
});
/** A way of announcing in a line: what carries it, how much passes, and how long it is out when a node dies. */
const said = (a: Announcement): string =>
  [
    counted(a.carriers, 'node'),
    a.ceiling === undefined ? undefined : `${a.ceiling} Gbit/s`,
    `out for ${a.outage < 10 ? `${Math.round(a.outage * 10) / 10} s` : secondsText(Math.round(a.outage))} when one dies`,
    a.chosen ? 'as set' : a.lacks.length ? `lacks ${a.lacks.join(', ')}` : undefined,
  ]
    .filter(Boolean)
    .join(', ');
