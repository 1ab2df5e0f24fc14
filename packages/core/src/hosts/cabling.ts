import type { Facts } from '../model/facts.ts';
import type { Host, Network } from '../model/documents.ts';
import type { Estate } from '../model/estate.ts';

type Nic = Facts['nics'][number];

/** Networks of a site that reach an adapter: those whose VLAN its port carries. */
export const networksOf = (nic: Nic, networks: readonly Network[]): Network[] =>
  networks.filter((n) => n.vlan !== undefined && nic.vlans?.includes(n.vlan));

export interface Port {
  nic: Nic;
  /** Networks by what is seen on the wire, and by the addresses that are bound to its MAC. */
  networks: { name: string; by: 'VLAN' | 'address'; address?: string }[];
}

/** Each adapter of a host with the networks it is on, and how that is known. */
export function portsOf(host: Host, estate: Pick<Estate, 'networks' | 'reservations'>): Port[] {
  const here = estate.networks.filter((n) => n.site === host.site);
  const macs = new Set(host.facts?.nics.map((n) => n.mac));
  const bound = estate.reservations.filter((r) => r.mac && macs.has(r.mac));
  return (host.facts?.nics ?? []).map((nic) => {
    const networks: Port['networks'] = networksOf(nic, here).map((n) => ({ name: n.name, by: 'VLAN' as const }));
    for (const r of bound.filter((b) => b.mac === nic.mac)) {
      const known = networks.find((n) => n.name === r.network);
      if (known) known.address = r.address;
      else networks.push({ name: r.network, by: 'address', address: r.address });
    }
    return { nic, networks };
  });
}
