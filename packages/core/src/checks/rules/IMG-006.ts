import type { Check } from '../check.ts';
import { mendOutside } from '../mend.ts';

export const IMG006: Check = {
  code: 'IMG-006',
  severity: 'stop',
  about: "nobody could look into a charter's mirror yet",
  reads: ['charters', 'registries', 'seenRegistries', 'hosts'],
  find: (view) =>
    view.estate.charters
      .filter((c) => !view.serves(c))
      .flatMap((c) => {
        const seen = view.estate.observed.registries[c.mirror];
        const mirror = view.estate.registries.find((r) => r.name === c.mirror);
        return seen?.error && seen.digests.length === 0
          ? [
              {
                subject: { kind: 'Charter' as const, name: c.name },
                path: ['mirror'],
                site: c.site,
                title: `What ${c.mirror} holds is not known`,
                text: `It was never reached from here: ${seen.error}. Whether nodes could pull from it cannot be said.`,
                ...(mirror ? { remedy: mendOutside(mirror, seen.fault) } : {}),
              },
            ]
          : [];
      }),
};
