import { serverList } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET008: Check = {
  code: 'NET-008',
  severity: 'stop',
  about: 'a list of servers holds something that is no address',
  reads: ['sites', 'charters'],
  find: ({ estate, chartersAt }) =>
    estate.sites.flatMap((s) =>
      (['resolvers', 'ntp'] as const).flatMap((field) => {
        const { rejected, servers } = serverList(s[field]);
        return rejected.length
          ? [
              {
                subject: { kind: 'Site' as const, name: s.name },
                path: [field],
                site: s.name,
                charters: chartersAt(s.name),
                title: `${rejected[0]} is no address`,
                text: `The ${field === 'ntp' ? 'NTP' : 'DNS'} servers of ${s.title} were understood as ${servers.join(', ') || 'none'}; left over: ${rejected.join(', ')}.`,
              },
            ]
          : [];
      }),
    ),
};
