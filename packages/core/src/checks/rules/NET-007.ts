import { serverList } from '../../address/parse.ts';
import { each } from '../check.ts';

export const NET007 = each(['Site', 'Network'], {
  code: 'NET-007',
  severity: 'note',
  about: 'a list of servers was typed in one string',
  find: (s) => {
    const [title, site] = s.kind === 'Site' ? [s.title, s.name] : [s.name, s.site];
    return (['resolvers', 'ntp'] as const).flatMap((field) => {
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
    });
  },
});
