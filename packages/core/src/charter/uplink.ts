import type { Host, Network } from '../model/documents.ts';
import * as words from '../model/words.ts';
import type { PlannedInterface, PlannedNode, PlannedUplink } from './plan.ts';

/** The name that an interface is given on the machine: as it is told, where Linux takes that, else what of it Linux takes. */
export function interfaceOf(told: string | undefined): string {
  if (!told) return 'eno1';
  if (words.interfacePattern.test(told)) return told;
  const left = told
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 15)
    .replace(/-+$/, '');
  return left || 'eno1';
}

/** An adapter that is asked for, and not among the facts of its host. */
export const absentAdapters = (host: Host): string[] =>
  (host.uplink?.adapters ?? []).filter((name) => !host.facts?.nics.some((n) => n.name === name));

/**
 * What carries the machine network of a host: its adapters in their order, whether they are a bond, and the tag. Without a word of it
 * in the host's document: the first adapter that has a link, untagged. Several adapters are a bond in any case: one of them leads.
 */
export function uplinkFor(host: Host, network: Network | undefined): PlannedUplink {
  const nics = host.facts?.nics ?? [];
  const asked = host.uplink?.adapters.flatMap((name) => nics.find((n) => n.name === name) ?? []) ?? [];
  const first = nics.find((n) => n.link) ?? nics[0];
  const chosen = asked.length ? asked : first ? [first] : [];
  const bond = host.uplink?.bond ?? (chosen.length > 1 ? ('active-backup' as const) : undefined);
  return {
    adapters: chosen.map((n) => ({ name: interfaceOf(n.name), mac: n.mac })),
    ...(bond ? { bond } : {}),
    ...(host.uplink?.tagged && network?.vlan ? { vlan: network.vlan } : {}),
  };
}

const longest = 15;
/** Below the address: the adapter, or the bond. */
export const lowerLinkOf = (up: PlannedUplink): string => (up.bond ? 'bond0' : interfaceOf(up.adapters[0]?.name));
/**
 * The interface that has the address (IFNAMSIZ: fifteen letters).
 *
 * @example
 * interfaceWithAddress({ adapters: [{ name: 'eno1', mac }], vlan: 812 }) // 'eno1.812'
 */
export function interfaceWithAddress(up: PlannedUplink): string {
  const below = lowerLinkOf(up);
  if (!up.vlan) return below;
  const name = `${below}.${up.vlan}`;
  return name.length > longest ? `vlan${up.vlan}` : name;
}
/** Of a node; plans of before know one adapter. */
export const uplinkOf = (node: PlannedNode): PlannedUplink => node.uplink ?? { adapters: [{ name: node.nic, mac: node.mac }] };
/**
 * What carries a further network of a host: the adapter whose port is set up for its VLAN and that carries nothing of the machine network,
 * else what carries that; with the VLAN tagged on it.
 */
export function carrierFor(host: Host, up: PlannedUplink, vlan: number): Pick<PlannedInterface, 'on' | 'nic' | 'adapter'> {
  const used = new Set(up.adapters.map((a) => a.mac));
  const own = (host.facts?.nics ?? []).find((n) => n.link && !used.has(n.mac) && n.vlans?.includes(vlan));
  const on = own ? interfaceOf(own.name) : lowerLinkOf(up);
  const name = `${on}.${vlan}`;
  return { on, nic: name.length > longest ? `vlan${vlan}` : name, ...(own ? { adapter: { name: on, mac: own.mac } } : {}) };
}

/** Every interface of a node, from the adapters to the one that has the address. */
export const interfacesOf = (node: PlannedNode): string[] => [
  ...new Set([
    ...uplinkOf(node).adapters.map((a) => a.name),
    ...(node.further ?? []).map((f) => f.on),
    lowerLinkOf(uplinkOf(node)),
    node.nic,
    ...(node.further ?? []).map((f) => f.nic),
  ]),
];
