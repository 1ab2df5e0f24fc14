import { serverList } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET009: Check = {
  code: 'NET-009',
  severity: 'mind',
  about: 'a site has fewer than two resolvers',
  reads: ['sites', 'charters'],
  find: ({ estate, chartersAt }) =>
    estate.sites
      .filter((s) => chartersAt(s.name).length > 0 && serverList(s.resolvers).servers.length < 2)
      .map((s) => ({
        subject: { kind: 'Site', name: s.name },
        path: ['resolvers'],
        site: s.name,
        title: `${s.title} has ${serverList(s.resolvers).servers.length ? 'only one resolver' : 'no resolver'}`,
        text: 'While it is away no node finds the API, the mirror or anything else by name.',
      })),
};
