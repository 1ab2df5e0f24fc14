import { capacityOf } from '../arithmetic.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';
import { nodes } from './nodes.ts';

export const capacity = aspect<Pick<Plan, 'capacity'>>({
  name: 'capacity',
  compute: ({ need }) => ({ capacity: capacityOf(need(nodes).nodes) }),
  lines: ({ capacity: c, nodes: all }) => [
    {
      id: 'capacity',
      section: 2,
      label: 'Usable capacity',
      text:
        all.length === 1
          ? `${c.cores} cores, ${c.memoryGiB} GiB; no reserve: it is the only host`
          : `${c.cores} cores, ${c.memoryGiB} GiB; ${c.coresAfterLoss} cores, ${c.memoryAfterLoss} GiB after losing one`,
      why: [
        because(
          'kept for the system',
          { of: all.some((n) => n.role === 'worker') ? 'workers only' : 'all hosts, since there are no workers' },
          ['workers', 'count'],
        ),
        all.length === 1
          ? because('only host')
          : because('after losing the largest', { which: all.some((n) => n.role === 'worker') ? 'worker' : 'host' }),
        ...(['rack', 'zone'] as const).flatMap((domain) => {
          const left = domain === 'rack' ? c.withoutRack : c.withoutZone;
          return left
            ? [because('without a domain', { domain, name: left.name, cores: left.cores, memory: left.memoryGiB })]
            : [];
        }),
      ],
    },
  ],
});
