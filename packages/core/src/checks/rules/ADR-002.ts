import { holds, parseIp, parseRange } from '../../address/parse.ts';
import { each } from '../check.ts';

export const ADR002 = each('Charter', {
  code: 'ADR-002',
  severity: 'stop',
  about: 'a service pool covers addresses in use',
  find: (c, view) => {
    const n = view.get('Network', c.machineNetwork);
    const pool = c.servicePool && parseRange(c.servicePool.range);
    if (!n || !pool) return [];
    const used = [
      ...view
        .by('Reservation', 'network', n.name)
        .filter((r) => !(r.owner.kind === 'charter' && r.owner.name === c.name && r.owner.use?.startsWith('service ')))
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
  },
});
