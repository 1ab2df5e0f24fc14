import { at, each } from '../check.ts';

export const NET039 = each('Network', {
  code: 'NET-039',
  severity: 'mind',
  about: 'a scope gives routes and no way to everything else',
  find: (n) =>
    n.dhcp.flatMap((d, i) => {
      const any = d.range.includes(':') ? '::/0' : '0.0.0.0/0';
      if (!d.routes?.length || !n.gateway || d.routes.some((r) => r.to === any)) return [];
      return [
        at(n, ['dhcp', i, 'routes'], {
          title: `${d.name} leaves the gateway of ${n.name} aside`,
          text: `Clients that take the routes of a scope ignore the gateway that it names (RFC 3442): they would reach ${d.routes.map((r) => r.to).join(', ')} and nothing else.`,
          remedy: {
            label: `Add ${any} via ${n.gateway}`,
            edits: [
              {
                op: 'set',
                kind: 'Network',
                key: n.name,
                path: ['dhcp', i, 'routes'],
                value: [...d.routes, { to: any, via: n.gateway }],
              },
            ],
          },
        }),
      ];
    }),
});
