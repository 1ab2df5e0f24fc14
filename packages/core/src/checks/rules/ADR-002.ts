import { holds, parseIp, parseRange } from '../../address/parse.ts';
import type { Check } from '../check.ts';

export const ADR002: Check = {
  code: 'ADR-002',
  severity: 'stop',
  about: 'a service pool covers addresses in use',
  reads: ['charters', 'networks', 'reservations'],
  find: ({ estate, network }) =>
    estate.charters.flatMap((c) => {
      const n = network(c.machineNetwork);
      const pool = c.servicePool && parseRange(c.servicePool.range);
      if (!n || !pool) return [];
      const used = [
        ...estate.reservations
          .filter((r) => r.network === n.name)
          .map((r) => ({ address: r.address, who: r.name ?? r.owner.name })),
        ...(n.gateway ? [{ address: n.gateway, who: 'the gateway' }] : []),
      ].filter((r) => holds(pool, parseIp(r.address)));
      return used.length
        ? [
            {
              subject: { kind: 'Charter' as const, name: c.name },
              path: ['servicePool', 'range'],
              site: c.site,
              title: `Service pool covers ${used.length === 1 ? 'an address' : `${used.length} addresses`} in use`,
              text: `${used
                .slice(0, 3)
                .map((u) => `${u.address} is ${u.who}'s`)
                .join('; ')}${used.length > 3 ? '; and more' : ''}.`,
            },
          ]
        : [];
    }),
};
