import { holds, parseIp, parsePrefix, prefixRange } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const NET002: Check = {
  code: 'NET-002',
  severity: 'stop',
  about: 'a gateway lies outside its prefix',
  reads: ['networks', 'charters'],
  find: ({ estate, chartersOn }) =>
    estate.networks.flatMap((n) =>
      n.gateway && !holds(prefixRange(parsePrefix(n.prefix)), parseIp(n.gateway))
        ? [
            {
              subject: { kind: 'Network', name: n.name },
              path: ['gateway'],
              site: n.site,
              charters: chartersOn(n.name),
              title: `The gateway of ${n.name} is outside it`,
              text: `${n.gateway} does not lie in ${n.prefix}. Hosts would have no way out.`,
            },
          ]
        : [],
    ),
};
