import type { Host, Network } from '../../model/documents.ts';
import { systemOf, systemsOf } from '../../model/systems.ts';
import type { Plan, PlannedInterface, PlannedNode, PlannedUplink } from '../plan.ts';
import { type Pool, poolLabel, poolsOf, roleLabel } from '../pools.ts';
import { counted } from '../../words/amounts.ts';
import { carrierFor, interfaceWithAddress, uplinkFor } from '../uplink.ts';
import { addresses } from './addresses.ts';
import { aspect, because } from './aspect.ts';
import { placement } from './placement.ts';
import { references } from './references.ts';

/** What nodes of a pool are marked with: its own labels, its name, and what it is kept for. */
const markedBy = (pool: Pool | undefined): Pick<PlannedNode, 'labels' | 'taints'> => ({
  labels: pool
    ? [
        ...(pool.role === 'worker' ? [`${poolLabel}=${pool.name}`] : []),
        ...pool.roles.map((r) => `${roleLabel(r)}=yes`),
        ...pool.labels,
      ]
    : [],
  taints: pool?.taints ?? [],
});

const secondOf = (
  host: Host,
  n: Network | undefined,
  given: Record<string, Record<string, string>>,
): Pick<PlannedNode, 'second'> => {
  const address = n && given[n.name]?.[host.name];
  return address ? { second: { address, length: Number(n.prefix.split('/')[1]) } } : {};
};

/** Interfaces of a host in further networks; one without a VLAN cannot be tagged, and is told by a check. */
const interfacesIn = (
  host: Host,
  uplink: PlannedUplink,
  networks: readonly Network[],
  given: Record<string, Record<string, string>>,
): PlannedInterface[] =>
  networks.flatMap((n) => {
    const address = given[n.name]?.[host.name];
    if (!address || n.vlan === undefined) return [];
    return [
      {
        network: n.name,
        address,
        length: Number(n.prefix.split('/')[1]),
        vlan: n.vlan,
        mtu: n.mtu,
        ...carrierFor(host, uplink, n.vlan),
      },
    ];
  });

export const nodes = aspect<Pick<Plan, 'nodes'>>({
  name: 'nodes',
  compute: ({ charter, need }) => {
    const { site, network, networks, secondNetwork, release } = need(references);
    const { nodeAddresses, further } = need(addresses);
    const pools = new Map(poolsOf(charter).map((p) => [p.name, p]));
    const systems = new Map([...pools].map(([name, p]) => [name, systemOf(release, p)?.name]));
    return {
      nodes: need(placement).chosen.map((c): PlannedNode => {
        const uplink = uplinkFor(c.host, network);
        const system = c.host.guest ? undefined : systems.get(c.pool);
        return {
          host: c.host.name,
          role: c.role,
          pool: c.pool,
          ...markedBy(pools.get(c.pool)),
          zone: c.host.zone ?? '',
          rack: c.host.rack ?? '',
          ...(c.host.feed ? { feed: c.host.feed } : {}),
          address: nodeAddresses[c.host.name] ?? '',
          name: `${c.host.name}.${site?.domain ?? ''}`,
          mac: uplink.adapters[0]?.mac ?? '',
          nic: interfaceWithAddress(uplink),
          ...(uplink.bond || uplink.vlan ? { uplink } : {}),
          ...secondOf(c.host, secondNetwork, further),
          ...(networks.length ? { further: interfacesIn(c.host, uplink, networks, further) } : {}),
          ...(system ? { system } : {}),
          ...(c.host.bmc ? { bmc: c.host.bmc.address } : {}),
          ...(c.host.guest ? { guest: { hypervisor: c.host.guest.hypervisor, mould: c.host.guest.mould } } : {}),
          facts: c.host.facts as PlannedNode['facts'],
          kept: c.kept,
          why: c.why,
        };
      }),
    };
  },
  lines: ({ charter, release, nodes: all }) => {
    if (systemsOf(release).length < 2) return [];
    const machines = new Map<string, number>();
    for (const n of all) if (n.system) machines.set(n.system, (machines.get(n.system) ?? 0) + 1);
    const pools = poolsOf(charter).filter((p) => all.some((n) => n.pool === p.name && n.system));
    return machines.size
      ? [
          {
            id: 'systems',
            section: 2,
            label: 'Operating systems',
            text: [...machines].map(([name, n]) => `${name} on ${counted(n, 'machine')}`).join(', '),
            why: pools.map((p) => {
              const field = [...p.path, 'system'];
              return p.system
                ? because('system of a pool', { pool: p.name, system: p.system }, field)
                : because('first system', { pool: p.name, release: charter.release }, field);
            }),
          },
        ]
      : [];
  },
});
