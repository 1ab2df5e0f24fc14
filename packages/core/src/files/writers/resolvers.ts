import { resolversOf } from '../../naming/servers.ts';
import { nodeFile, type NodeWriter } from '../kit.ts';

/**
 * Resolvers that stay: the network configuration of the first boot is not made again by a later one, and the
 * resolver falls back on nothing that was built into it, nor on what a DHCP answer or a router says.
 */
export const resolvers: NodeWriter = {
  name: 'resolvers',
  write: ({ plan }) => {
    const servers = resolversOf(plan.site, plan.network);
    const from = ['network.resolvers', 'site.resolvers', 'site.domain'];
    return [
      nodeFile(
        '/etc/cloud/cloud.cfg.d/99-praesidor-network.cfg',
        '# The network was configured at first boot; later boots leave it alone.\nnetwork: {config: disabled}',
        from,
      ),
      nodeFile(
        '/etc/systemd/resolved.conf.d/10-praesidor.conf',
        [
          '[Resolve]',
          `DNS=${servers.join(' ')}`,
          'FallbackDNS=',
          `Domains=${plan.site?.domain ?? ''} ~.`,
          'LLMNR=no',
          'MulticastDNS=no',
        ].join('\n'),
        from,
      ),
    ];
  },
};
