import type { Plan, PlannedNode } from '../plan.ts';
import { interfaceWithAddress, uplinkFor } from '../uplink.ts';
import { addresses } from './addresses.ts';
import { aspect } from './aspect.ts';
import { placement } from './placement.ts';
import { references } from './references.ts';

export const nodes = aspect<Pick<Plan, 'nodes'>>({
  name: 'nodes',
  compute: ({ need }) => {
    const { site, network } = need(references);
    const { nodeAddresses } = need(addresses);
    return {
      nodes: need(placement).chosen.map((c): PlannedNode => {
        const uplink = uplinkFor(c.host, network);
        return {
          host: c.host.name,
          role: c.role,
          zone: c.host.zone ?? '',
          rack: c.host.rack ?? '',
          address: nodeAddresses[c.host.name] ?? '',
          name: `${c.host.name}.${site?.domain ?? ''}`,
          mac: uplink.adapters[0]?.mac ?? '',
          nic: interfaceWithAddress(uplink),
          ...(uplink.bond || uplink.vlan ? { uplink } : {}),
          ...(c.host.bmc ? { bmc: c.host.bmc.address } : {}),
          ...(c.host.guest ? { guest: { hypervisor: c.host.guest.hypervisor, mould: c.host.guest.mould } } : {}),
          facts: c.host.facts as PlannedNode['facts'],
          kept: c.kept,
          why: c.why,
        };
      }),
    };
  },
});
