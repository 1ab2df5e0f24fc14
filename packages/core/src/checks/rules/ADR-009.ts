import { formatIp, holds, parseIp, parsePrefix, parseRange, prefixRange } from '../../address/parse.ts';
import { reservedEnds } from '../../address/space.ts';
import type { Charter, Network } from '../../model/documents.ts';
import { each } from '../check.ts';

/** Why a virtual address cannot stand where it was set; undefined where it can. */
function hindrance(address: string, c: Charter, n: Network): string | undefined {
  const a = parseIp(address);
  const prefix = parsePrefix(n.prefix);
  if (!holds(prefixRange(prefix), a))
    return `It does not lie in ${n.name}, which is ${n.prefix}: no host there could answer for it.`;
  if (n.gateway === formatIp(a)) return `It is the gateway of ${n.name}: both would answer for it.`;
  if (reservedEnds(prefix).includes(a.n)) return `It is an end of ${n.prefix}, which no host may have.`;
  const scope = n.dhcp.find((s) => holds(parseRange(s.range), a));
  if (scope)
    return `It lies in the DHCP scope ${scope.range} of ${n.name}: the server may lease it to any machine, and then two answer for it.`;
  if (c.servicePool && holds(parseRange(c.servicePool.range), a))
    return `It lies in the cluster's own service pool ${c.servicePool.range}: a published service may be given it.`;
  return undefined;
}

export const ADR009 = each('Charter', {
  code: 'ADR-009',
  severity: 'stop',
  about: 'a virtual address was set where it cannot be',
  find: (c, view) => {
    const n = view.get('Network', c.machineNetwork);
    if (!n) return [];
    return (['api', 'inbound'] as const).flatMap((use) => {
      const { address } = c[use];
      const text = address && hindrance(address, c, n);
      if (!text) return [];
      return [
        {
          subject: { kind: 'Charter' as const, name: c.name },
          path: [use, 'address'],
          site: c.site,
          title: `${address} cannot be the ${use === 'api' ? 'address of the API' : 'inbound address'}`,
          text,
          remedy: {
            label: 'Let it follow',
            edits: [{ op: 'set' as const, kind: 'Charter' as const, key: c.name, path: [use, 'address'], value: undefined }],
          },
        },
      ];
    });
  },
});
