import { overlaps, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const CHT002: Check = {
  code: 'CHT-002',
  severity: 'stop',
  about: 'a pod or service range overlaps a network',
  reads: ['charters', 'networks'],
  find: ({ estate }) =>
    estate.charters.flatMap((c) =>
      (['pods', 'services'] as const).flatMap((which) =>
        estate.networks
          .filter((n) => overlaps(prefixRange(parsePrefix(n.prefix)), prefixRange(parsePrefix(c[which].range))))
          .map((n) => ({
            subject: { kind: 'Charter' as const, name: c.name },
            path: [which, 'range'],
            site: c.site,
            title: `${which === 'pods' ? 'Pod' : 'Service'} range overlaps ${n.name}`,
            text: `${c[which].range} contains addresses of ${n.prefix}: pods could not reach what stands there.`,
          })),
      ),
    ),
};
