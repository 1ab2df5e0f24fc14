import type { Check } from '../check.ts';

export const HST005: Check = {
  code: 'HST-005',
  severity: 'mind',
  about: 'two hosts in one rack unit',
  reads: ['hosts'],
  find: ({ estate }) => {
    const first = new Map<string, string>();
    return estate.hosts.flatMap((h) => {
      if (!h.rack || !h.unit || h.state === 'retired') return [];
      const key = `${h.site} ${h.rack} ${h.unit}`;
      const other = first.get(key);
      if (!other) {
        first.set(key, h.name);
        return [];
      }
      return [
        {
          subject: { kind: 'Host' as const, name: h.name },
          path: ['unit'],
          site: h.site,
          title: `${h.name} and ${other} stand in one place`,
          text: `Both are declared in ${h.rack}, unit ${h.unit}; spread over zones is computed from this.`,
        },
      ];
    });
  },
};
