import { serverList } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET008: Check = {
  code: 'NET-008',
  severity: 'stop',
  about: 'a list of servers holds something that is no address',
  reads: ['sites', 'networks', 'charters'],
  find: ({ estate, chartersAt }) =>
    [
      ...estate.sites.map((s) => ({ s, title: s.title, site: s.name })),
      ...estate.networks.map((s) => ({ s, title: s.name, site: s.site })),
    ].flatMap(({ s, title, site }) =>
      (['resolvers', 'ntp'] as const).flatMap((field) => {
        const { rejected, servers } = serverList(s[field] ?? []);
        return rejected.length
          ? [
              {
                subject: { kind: s.kind, name: s.name },
                path: [field],
                site,
                charters: chartersAt(site),
                title: `${rejected[0]} is no address`,
                text: `The ${field === 'ntp' ? 'NTP' : 'DNS'} servers of ${title} were understood as ${servers.join(', ') || 'none'}; left over: ${rejected.join(', ')}.`,
              },
            ]
          : [];
      }),
    ),
};
