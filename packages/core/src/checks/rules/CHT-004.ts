import { overlaps, parsePrefix, prefixRange } from '../../address/parse.ts';
import { familiesOf } from '../../charter/families.ts';
import { at, each } from '../check.ts';

export const CHT004 = each('Charter', {
  code: 'CHT-004',
  severity: 'stop',
  about: 'pod and service range of a cluster overlap',
  find: (c) =>
    familiesOf(c).flatMap((f) =>
      overlaps(prefixRange(parsePrefix(f.pods)), prefixRange(parsePrefix(f.services)))
        ? [
            at(c, f.at.services, {
              title: 'Service range overlaps the pod range',
              text: `${f.services} and ${f.pods} share addresses; a service could get a pod's.`,
            }),
          ]
        : [],
    ),
});
