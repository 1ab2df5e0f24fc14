import { formatIp, holds, parseIp, parsePrefix, parseRange, prefixRange } from '../../address/parse.ts';
import { openIn } from '../../ledger/open.ts';
import { chartersOn, each } from '../check.ts';

export const NET003 = each('Network', {
  code: 'NET-003',
  severity: 'stop',
  about: 'a gateway lies inside a pool or a DHCP scope',
  find: (n, view) =>
    [...n.dhcp, ...n.pools]
      .filter((p) => n.gateway && holds(parseRange(p.range), parseIp(n.gateway)))
      .map((p) => {
        const free = openIn(view, n).nextFree({ kind: 'lowest' }, prefixRange(parsePrefix(n.prefix)));
        return {
          subject: { kind: 'Network' as const, name: n.name },
          path: ['gateway'],
          site: n.site,
          charters: chartersOn(view, n.name),
          title: `The gateway of ${n.name} is inside ${p.name}`,
          text: `${n.gateway} lies in ${p.range}: it will be handed out a second time.`,
          ...(free
            ? {
                remedy: {
                  label: `Move the gateway to ${formatIp(free)}`,
                  edits: [
                    { op: 'set' as const, kind: 'Network' as const, key: n.name, path: ['gateway'], value: formatIp(free) },
                  ],
                },
              }
            : {}),
        };
      }),
});
