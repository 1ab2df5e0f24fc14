import { bytesText } from '../../words/amounts.ts';
import { deletable } from '../../images/retention.ts';
import type { Check } from '../check.ts';

export const IMG009: Check = {
  code: 'IMG-009',
  severity: 'note',
  about: 'a registry holds what nobody asks for',
  reads: ['registries', 'seenRegistries', 'bills', 'charters', 'releases', 'addons', 'hosts'],
  find: ({ estate }) =>
    estate.registries.flatMap((r) => {
      if (r.role === 'source' || !estate.observed.registries[r.name]?.names) return [];
      const { goes, free } = deletable(estate, r.name, { last: 1 });
      // A bill that only shares names with another frees nothing worth a note.
      return free.declaredBytes > 1e9
        ? [
            {
              subject: { kind: 'Registry' as const, name: r.name },
              path: ['diskGB'],
              site: r.site,
              title: `${bytesText(free.declaredBytes)} can be deleted at ${r.name}`,
              text: `${goes.map((g) => g.bill).join(' and ')}: no charter and no draft asks for ${goes.length === 1 ? 'it' : 'them'}, and ${goes.length === 1 ? 'it is' : 'they are'} not the newest.`,
              remedy: { label: 'Show what and why', act: { kind: 'open' as const, path: `/images/clean-up?registry=${r.name}` } },
            },
          ]
        : [];
    }),
};
