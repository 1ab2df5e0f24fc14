import { overlaps, parsePrefix, prefixRange } from '../../address/parse.ts';
import { each } from '../check.ts';

export const CHT004 = each('Charter', {
  code: 'CHT-004',
  severity: 'stop',
  about: 'pod and service range of a cluster overlap',
  find: (c) =>
    overlaps(prefixRange(parsePrefix(c.pods.range)), prefixRange(parsePrefix(c.services.range)))
      ? [
          {
            subject: { kind: 'Charter', name: c.name },
            path: ['services', 'range'],
            site: c.site,
            title: 'Service range overlaps the pod range',
            text: `${c.services.range} and ${c.pods.range} share addresses; a service could get a pod's.`,
          },
        ]
      : [],
});
