import { bits, parsePrefix } from '../../address/parse.ts';
import { familiesOf } from '../../charter/families.ts';
import { at, each } from '../check.ts';

export const CHT011 = each('Charter', {
  code: 'CHT-011',
  severity: 'mind',
  about: "a node's block holds fewer pods than it may run",
  find: (c) =>
    familiesOf(c).flatMap((f) => {
      const holds = 2 ** Math.min(20, Math.max(0, bits(parsePrefix(f.pods).v) - f.perNode)) - 2;
      return holds < c.pods.most
        ? [
            at(c, f.at.perNode, {
              title: `A block of /${f.perNode} holds ${Math.max(0, holds)} pods`,
              text: `${c.pods.most} a node are allowed; the rest would wait for an address.`,
            }),
          ]
        : [];
    }),
});
