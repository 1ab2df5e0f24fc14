import { bits, parsePrefix } from '../../address/parse.ts';
import { each } from '../check.ts';

export const CHT011 = each('Charter', {
  code: 'CHT-011',
  severity: 'mind',
  about: "a node's block holds fewer pods than it may run",
  find: (c) => {
    const holds = 2 ** Math.min(20, Math.max(0, bits(parsePrefix(c.pods.range).v) - c.pods.perNode)) - 2;
    return holds < c.pods.most
      ? [
          {
            subject: { kind: 'Charter' as const, name: c.name },
            path: ['pods', 'perNode'],
            site: c.site,
            title: `A block of /${c.pods.perNode} holds ${Math.max(0, holds)} pods`,
            text: `${c.pods.most} a node are allowed; the rest would wait for an address.`,
          },
        ]
      : [];
  },
});
