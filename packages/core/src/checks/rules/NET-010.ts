import { trace } from '../../reach/trace.ts';
import { chartersAt, each } from '../check.ts';
import { reachAt, someoneIn } from '../reach.ts';

export const NET010 = each('Network', {
  code: 'NET-010',
  severity: 'stop',
  about: 'gateway tunnel endpoints are not on a VLAN of their own, or not routable',
  find: (g, view) =>
    (g.endpoints === 'gateway' ? view.by('Network', 'site', g.site) : [])
      .filter((h) => h.endpoints === 'host')
      .flatMap((h) => {
        const at = { subject: { kind: 'Network' as const, name: g.name }, site: g.site, charters: chartersAt(view, g.site) };
        if (g.vlan !== undefined && g.vlan === h.vlan)
          return [
            {
              ...at,
              path: ['vlan'],
              title: `${g.name} shares VLAN ${g.vlan} with ${h.name}`,
              text: 'Tunnels from a host to a gateway on the same VLAN are not formed: their endpoints must be on separate VLANs.',
            },
          ];
        const reach = reachAt(view, g.site);
        const { forward, back, edits } = trace(reach, someoneIn(reach, g), someoneIn(reach, h), 1);
        const stop = forward.stop ?? back.stop;
        if (stop?.sort === 'dead')
          return [
            {
              ...at,
              path: ['routesTo'],
              title: `${g.name} and ${h.name} do not route to each other`,
              text: `Tunnel endpoints of hosts and gateways must reach each other in both directions; ${forward.stop ? 'what is sent' : 'what is sent back'} stops at ${stop.at}: ${stop.why}.`,
              ...(edits.length ? { remedy: { label: 'Add what is lacking', edits } } : {}),
            },
          ];
        return [];
      }),
});
