import type { Check } from '../check.ts';

export const IMG002: Check = {
  code: 'IMG-002',
  severity: 'mind',
  about: 'a registry certificate ends soon',
  reads: ['registries', 'seenRegistries', 'charters'],
  find: ({ estate }) =>
    estate.registries.flatMap((r) => {
      const c = estate.observed.registries[r.name]?.certificate;
      if (!c) return [];
      const days = Math.floor((Date.parse(c.notAfter) - Date.parse(estate.now)) / 86_400_000);
      if (days > 30 || days < 0) return [];
      const users = estate.charters.filter((x) => x.mirror === r.name).length;
      return [
        {
          subject: { kind: 'Registry' as const, name: r.name },
          path: ['endpoint'],
          site: r.site,
          title: `Registry certificate ends in ${days + 1} days`,
          text: `${c.notAfter.slice(0, 10)}, ${c.notAfter.slice(11, 16)} UTC. Pulls stop then, also for node restarts${users ? `; ${users} ${users === 1 ? 'cluster pulls' : 'clusters pull'} from ${r.endpoint}` : ''}.`,
        },
      ];
    }),
};
