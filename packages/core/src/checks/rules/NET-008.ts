import { serverList } from '../../address/parse.ts';
import { chartersAt, each } from '../check.ts';

export const NET008 = each(['Site', 'Network'], {
  code: 'NET-008',
  severity: 'stop',
  about: 'a list of servers holds something that is no address',
  find: (s, view) => {
    const [title, site] = s.kind === 'Site' ? [s.title, s.name] : [s.name, s.site];
    return (['resolvers', 'ntp'] as const).flatMap((field) => {
      const { rejected, servers } = serverList(s[field] ?? []);
      return rejected.length
        ? [
            {
              subject: { kind: s.kind, name: s.name },
              path: [field],
              site,
              charters: chartersAt(view, site),
              title: `${rejected[0]} is no address`,
              text: `The ${field === 'ntp' ? 'NTP' : 'DNS'} servers of ${title} were understood as ${servers.join(', ') || 'none'}; left over: ${rejected.join(', ')}.`,
            },
          ]
        : [];
    });
  },
});
