import { serverList } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET007: Check = {
  code: 'NET-007',
  severity: 'note',
  about: 'a list of servers was typed in one string',
  reads: ['sites'],
  find: ({ estate }) =>
    estate.sites.flatMap((s) =>
      (['resolvers', 'ntp'] as const).flatMap((field) => {
        const list = serverList(s[field]);
        if (list.asTyped || !list.servers.length || list.rejected.length) return [];
        return [
          {
            subject: { kind: 'Site' as const, name: s.name },
            path: [field],
            site: s.name,
            title: `${field === 'ntp' ? 'NTP' : 'DNS'} servers of ${s.title} typed in one string`,
            text: `${JSON.stringify(s[field])} was understood as ${list.servers.length} servers: ${list.servers.join(' and ')}.`,
            remedy: {
              label: 'Store them as a list',
              edits: [{ op: 'set' as const, kind: 'Site' as const, key: s.name, path: [field], value: list.servers }],
            },
          },
        ];
      }),
    ),
};
