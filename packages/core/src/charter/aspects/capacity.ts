import { capacityOf } from '../arithmetic.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';
import { nodes } from './nodes.ts';

export const capacity = aspect<Pick<Plan, 'capacity'>>({
  name: 'capacity',
  compute: ({ need }) => ({ capacity: capacityOf(need(nodes).nodes) }),
  lines: ({ capacity: c }) => [
    {
      id: 'capacity',
      section: 2,
      label: 'Usable capacity',
      text: `${c.cores} cores, ${c.memoryGiB} GiB; ${c.coresAfterLoss} cores, ${c.memoryAfterLoss} GiB after losing one`,
      why: [because('kept for the system', {}, ['workers', 'count']), because('after losing the largest')],
    },
  ],
});
