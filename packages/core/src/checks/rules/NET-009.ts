import { serverList } from '../../address/parse.ts';
import { chartersAt, each } from '../check.ts';

export const NET009 = each('Site', {
  code: 'NET-009',
  severity: 'mind',
  about: 'a site has fewer than two resolvers',
  find: (s, view) => {
    const { servers } = serverList(s.resolvers);
    if (servers.length > 1 || !chartersAt(view, s.name).length) return [];
    return [
      {
        subject: { kind: 'Site', name: s.name },
        path: ['resolvers'],
        site: s.name,
        title: `${s.title} has ${servers.length ? 'only one resolver' : 'no resolver'}`,
        text: 'While it is away no node finds the API, the mirror or anything else by name.',
      },
    ];
  },
});
