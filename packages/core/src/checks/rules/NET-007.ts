import { serverList } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET007: Check = {
  code: 'NET-007',
  severity: 'note',
  about: 'a list of servers was typed in one string',
  reads: ['sites', 'networks'],
  find: ({ estate }) =>
    [
      ...estate.sites.map((s) => ({ s, title: s.title, site: s.name })),
      ...estate.networks.map((s) => ({ s, title: s.name, site: s.site })),
    ].flatMap(({ s, title, site }) =>
      (['resolvers', 'ntp'] as const).flatMap((field) => {
        const list = serverList(s[field] ?? []);
        if (list.asTyped || !list.servers.length || list.rejected.length) return [];
        return [
          {
            subject: { kind: s.kind, name: s.name },
            path: [field],
            site,
            title: `${field === 'ntp' ? 'NTP' : 'DNS'} servers of ${title} typed in one string`,
            text: `${JSON.stringify(s[field])} was understood as ${list.servers.length} servers: ${list.servers.join(' and ')}.`,
            remedy: {
              label: 'Store them as a list',
              edits: [{ op: 'set' as const, kind: s.kind, key: s.name, path: [field], value: list.servers }],
            },
          },
        ];
      }),
    ),
};
