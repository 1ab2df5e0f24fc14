import { quorumOf } from '../arithmetic.ts';
import type { Plan } from '../plan.ts';
import { aspect, because } from './aspect.ts';

export const quorum = aspect<Pick<Plan, 'quorum'>>({
  name: 'quorum',
  compute: ({ charter }) => ({ quorum: quorumOf(charter.controlPlane.count) }),
  lines: ({ quorum: q, nodes }) => [
    {
      id: 'quorum',
      section: 2,
      label: 'Quorum',
      text:
        q.members === 1
          ? `1 of 1: ${nodes.length > 1 ? 'while it is away the API is' : 'while it is away everything is'}`
          : `${q.majority} of ${q.members}; ${q.tolerates ? `${q.tolerates} may be lost` : 'none may be lost'}`,
      why: [because('majority', q, ['controlPlane', 'count']), because('tolerates', q)],
    },
  ],
});
