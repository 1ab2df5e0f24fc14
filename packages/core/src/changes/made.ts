import { z } from 'zod';
import type { Plan } from '../charter/plan.ts';
import type { Estate } from '../model/estate.ts';
import { plannedRecords } from '../naming/plan.ts';
import { precinctOf } from '../reach/precinct.ts';
import { counted } from '../words/amounts.ts';

/** How a thing that was made for a cluster stands. `left-over`: the cluster is gone, or does not have it any more, and it is still there. */
export const MadeState = z.enum(['in-use', 'held', 'kept', 'waits', 'left-over']);
export type MadeState = z.infer<typeof MadeState>;
export const madeKinds = [
  'hosts',
  'guests',
  'addresses',
  'precinct',
  'records',
  'secrets',
  'objects',
  'files',
  'backups',
  'pulls',
] as const;
export const MadeThing = z.strictObject({
  kind: z.enum(madeKinds),
  name: z.string(),
  state: MadeState,
  /** What it is, and, of what is left over, why nobody answers for it. */
  about: z.string(),
  /** Where it is looked at. */
  go: z.string().optional(),
});
export type MadeThing = z.infer<typeof MadeThing>;

/** What only the server knows of a cluster: secrets that it keeps, and what earlier changes had in their plans. */
export interface MadeBesides {
  secrets: readonly string[];
  objects: readonly string[];
  files: number;
  backups: number;
  /** How many images its hosts pulled of those that they need, as it was measured; undefined: the mirror does not say. */
  pulls?: string | undefined;
  /** Every host and address that some change of it had. */
  hosts: ReadonlySet<string>;
  addresses: ReadonlySet<string>;
  /** Every name that some change of it gave. */
  names: ReadonlySet<string>;
}

const without = (name: string) => name.replace(/\.$/, '').toLowerCase();

/**
 * Everything that was made for a cluster, found by what it is called and whose it is, with how each thing stands. What a change of it once had and nobody
 * plans any more is left over: a record that somebody edited by hand, a guest on a hypervisor that no host is, an address that leads nowhere.
 */
export function madeFor(plan: Plan, estate: Estate, besides: MadeBesides): MadeThing[] {
  const name = plan.charter.name;
  const out: MadeThing[] = [];
  const hosts = estate.hosts.filter((h) => h.held?.charter === name);
  const stands = hosts.some((h) => h.state === 'serving');
  const planned = new Set(plan.nodes.map((n) => n.host));
  for (const h of hosts)
    out.push({
      kind: 'hosts',
      name: h.name,
      state: h.state === 'serving' ? (planned.has(h.name) ? 'in-use' : 'waits') : h.held?.installed ? 'waits' : 'held',
      about:
        h.state === 'serving'
          ? `serves as ${h.held?.role.replace('-', ' ')}${planned.has(h.name) ? '' : ', and is to leave'}`
          : h.held?.installed
            ? 'held for it, off, with what lies on its drives: give it back'
            : 'held for it',
      go: `/hosts/${h.name}`,
    });
  for (const host of besides.hosts) {
    const h = estate.hosts.find((x) => x.name === host);
    if (h?.state === 'resting' && !h.held)
      out.push({ kind: 'hosts', name: host, state: 'waits', about: 'rests until it is wiped', go: `/hosts/${host}` });
  }
  out.push(...guests(estate, besides, hosts));
  const own = estate.reservations.filter((r) => r.owner.kind === 'charter' && r.owner.name === name);
  const uses = new Map(plan.reservations.map((r) => [r.owner.use, r.address]));
  for (const r of own) {
    const use = r.owner.use ?? '';
    const node = use.startsWith('node ') ? estate.hosts.find((h) => h.name === use.slice(5)) : undefined;
    const resting = node?.state === 'resting' || (node?.state === 'held' && node.held?.installed !== undefined);
    const right = uses.get(r.owner.use) === r.address;
    out.push({
      kind: 'addresses',
      name: r.address,
      state: resting ? 'waits' : right ? (stands ? 'in-use' : 'held') : 'left-over',
      about: resting
        ? `${use}: its host is not wiped yet`
        : right
          ? use
          : `${use}: the plan has ${uses.get(r.owner.use) ?? 'none'} for that`,
      go: `/addresses?net=${r.network}`,
    });
  }
  const precinct = precinctOf(estate, plan.charter);
  if (precinct)
    out.push({
      kind: 'precinct',
      name: precinct.network,
      state: plan.charter.machineNetwork === precinct.network ? (stands ? 'in-use' : 'held') : 'left-over',
      about: `${precinct.prefix}${precinct.vlan ? `, VLAN ${precinct.vlan}` : ''}${precinct.outbound.length ? `, leaves as ${precinct.outbound.map((o) => o.address).join(' and ')}` : ''}: it goes with the charter`,
      go: `/addresses?network=${precinct.network}`,
    });
  out.push(...records(estate, name, own, besides));
  for (const s of besides.secrets)
    out.push({
      kind: 'secrets',
      name: s,
      state: stands || hosts.length ? 'in-use' : 'left-over',
      about: stands || hosts.length ? 'kept sealed' : 'kept sealed, and no host has it any more',
    });
  for (const o of besides.objects)
    out.push({
      kind: 'objects',
      name: o,
      state: stands ? 'in-use' : 'kept',
      about: stands ? 'given to its API' : 'was given to its API',
    });
  if (besides.files)
    out.push({
      kind: 'files',
      name: counted(besides.files, 'file'),
      state: 'kept',
      about: 'as its last change wrote them, without secrets',
      go: `/clusters/${name}?tab=files`,
    });
  if (besides.backups)
    out.push({
      kind: 'backups',
      name: `${besides.backups} of etcd`,
      state: 'kept',
      about: 'sealed',
      go: `/clusters/${name}?tab=proof`,
    });
  if (besides.pulls !== undefined)
    out.push({
      kind: 'pulls',
      name: besides.pulls,
      state: 'kept',
      about: `of the images that its hosts need were pulled from ${plan.mirror?.name ?? 'its mirror'}, when they were installed`,
      go: '/images',
    });
  return out;
}

/** Guests of it on hypervisors: those that its hosts are, and those that some change of it cast and no host of the estate is. */
function guests(estate: Estate, besides: MadeBesides, hosts: Estate['hosts']): MadeThing[] {
  const mine = new Map(hosts.map((h) => [h.name, h]));
  const known = new Map(estate.hosts.map((h) => [h.name, h]));
  return Object.entries(estate.observed.hypervisors).flatMap(([hypervisor, seen]) =>
    seen.guests.flatMap((g): MadeThing[] => {
      const host = mine.get(g.name);
      const go = '/hosts/hypervisors';
      if (host?.guest?.hypervisor === hypervisor)
        return [{ kind: 'guests', name: g.name, state: 'in-use', about: `${g.state} on ${hypervisor}, with its volumes`, go }];
      if (!besides.hosts.has(g.name)) return [];
      const other = known.get(g.name);
      if (other?.guest?.hypervisor === hypervisor)
        return other.state === 'resting'
          ? [{ kind: 'guests', name: g.name, state: 'waits', about: `${g.state} on ${hypervisor} until it is wiped`, go }]
          : [];
      return [
        {
          kind: 'guests',
          name: g.name,
          state: 'left-over',
          about: `${g.state} on ${hypervisor}, and ${other ? `its host stands ${other.guest ? `on ${other.guest.hypervisor}` : 'as a machine'}` : 'no host of the estate is it'}`,
          go,
        },
      ];
    }),
  );
}

/** What name servers were seen to serve of it: by its addresses and by its names, now and in earlier changes. */
function records(estate: Estate, name: string, own: Estate['reservations'], besides: MadeBesides): MadeThing[] {
  const key = (r: { name: string; type: string; value: string }) => `${without(r.name)} ${r.type} ${without(r.value)}`;
  const planned = new Set(plannedRecords(estate).map(key));
  const mine = new Set(own.map((r) => r.address));
  const names = new Set([...own.flatMap((r) => (r.name ? [without(r.name)] : [])), ...[...besides.names].map(without)]);
  const taken = new Set(estate.reservations.filter((r) => !mine.has(r.address)).map((r) => r.address));
  return Object.values(estate.observed.zones).flatMap((zone) =>
    zone.records.flatMap((r): MadeThing[] => {
      const value = without(r.value);
      const byName = names.has(without(r.name)) || (r.type === 'PTR' && names.has(value));
      // An address that somebody else has by now is theirs.
      const byAddress = mine.has(value) || (besides.addresses.has(value) && !taken.has(value));
      if (!byName && !byAddress) return [];
      const right = planned.has(key(r));
      return [
        {
          kind: 'records',
          name: `${r.name} ${r.type} ${r.value}`,
          state: right ? 'in-use' : 'left-over',
          about: right
            ? 'served as planned'
            : `served, and nobody plans it: it ${byName ? `has a name of ${name}` : `leads to an address of ${name}`}`,
          go: '/addresses/names',
        },
      ];
    }),
  );
}
