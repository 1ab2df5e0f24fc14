import { behind } from '../../images/behind.ts';
import { bytesText } from '../../words/amounts.ts';
import { deletable } from '../../images/retention.ts';
import type { Check } from '../check.ts';

export const IMG012: Check = {
  code: 'IMG-012',
  severity: 'mind',
  about: 'a registry has no room for what it lacks',
  reads: ['registries', 'seenRegistries', 'bills', 'charters', 'releases', 'addons', 'hosts'],
  find: ({ estate }) =>
    behind(
      estate,
      estate.registries.filter((r) => r.role !== 'source'),
    ).flatMap(({ registry: r, bytes }) => {
      const seen = estate.observed.registries[r.name];
      if (seen?.free === undefined || bytes <= seen.free) return [];
      const { free } = deletable(estate, r.name, { last: 1 });
      return [
        {
          subject: { kind: 'Registry' as const, name: r.name },
          path: ['diskGB'],
          site: r.site,
          title: `${r.name} has room for ${bytesText(seen.free)}, and lacks ${bytesText(bytes)}`,
          text: `A shipment of what its clusters need would stop when the disk is full. ${
            free.bytes > 0
              ? `${bytesText(free.bytes)} there are asked for by nobody.`
              : 'Nobody asks for less: it needs a larger disk.'
          }`,
          ...(free.bytes > 0
            ? {
                remedy: {
                  label: 'Show what can be deleted',
                  act: { kind: 'open' as const, path: `/images/clean-up?registry=${r.name}` },
                },
              }
            : {}),
        },
      ];
    }),
};
