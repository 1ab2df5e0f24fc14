import { overlaps, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const CHT004: Check = {
  code: 'CHT-004',
  severity: 'stop',
  about: 'pod and service range of a cluster overlap',
  reads: ['charters'],
  find: ({ estate }) =>
    estate.charters
      .filter((c) => overlaps(prefixRange(parsePrefix(c.pods.range)), prefixRange(parsePrefix(c.services.range))))
      .map((c) => ({
        subject: { kind: 'Charter', name: c.name },
        path: ['services', 'range'],
        site: c.site,
        title: 'Service range overlaps the pod range',
        text: `${c.services.range} and ${c.pods.range} share addresses; a service could get a pod's.`,
      })),
};
