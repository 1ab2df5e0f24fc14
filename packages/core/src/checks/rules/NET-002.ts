import { holds, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import { chartersOn, each } from '../check.ts';

export const NET002 = each('Network', {
  code: 'NET-002',
  severity: 'stop',
  about: 'a gateway lies outside its prefix',
  find: (n, view) =>
    n.gateway && !holds(prefixRange(parsePrefix(n.prefix)), parseIp(n.gateway))
      ? [
          {
            subject: { kind: 'Network', name: n.name },
            path: ['gateway'],
            site: n.site,
            charters: chartersOn(view, n.name),
            title: `The gateway of ${n.name} is outside it`,
            text: `${n.gateway} does not lie in ${n.prefix}. Hosts would have no way out.`,
          },
        ]
      : [],
});
