import {
  carve,
  contains,
  formatIp,
  formatPrefix,
  holds,
  mergePrefixes,
  parseIp,
  parsePrefix,
  parseRange,
  prefixRange,
  type Range,
  single,
  splitPrefix,
} from '../address/index.ts';
import type { Network, Reservation } from '../model/documents.ts';
import type { Edit } from '../model/edit.ts';
import { type Estate, keyOf } from '../model/estate.ts';

/** A change to networks as edits, with what becomes of what is in them. */
export interface Reshape {
  edits: Edit[];
  /** Reservations that go to another network; their addresses stay. */
  moved: Reservation[];
  /** What no longer has a place; while there is any, the change cannot be made. */
  lost: string[];
}
export type Reshaped = Reshape | { refused: string };

const rangeOf = (n: Network) => prefixRange(parsePrefix(n.prefix));
const ofNetwork = (estate: Estate, n: Network) => estate.reservations.filter((r) => r.network === n.name);
const fresh = (estate: Estate, wish: string) => {
  let name = wish;
  for (let i = 2; estate.networks.some((n) => n.name === name); i++) name = `${wish}-${i}`;
  return name;
};

/** The first address that a host may have, as the gateway that most networks have. */
const firstHost = (r: Range) => formatIp({ v: r.v, n: r.first + 1n });

/** Carves the next free child of a length out of a network: nothing of the network, nor of another child, lies in it. */
export function carveChild(estate: Estate, parent: Network, length: number): Reshaped {
  const whole = parsePrefix(parent.prefix);
  if (length <= whole.length) return { refused: `/${length} does not fit into ${parent.prefix}` };
  const taken: Range[] = [
    ...estate.networks.filter((n) => n.parent === parent.name).map(rangeOf),
    ...[...parent.dhcp, ...parent.pools].map((s) => parseRange(s.range)),
    ...ofNetwork(estate, parent).map((r) => single(r.address)),
    ...(parent.gateway ? [single(parent.gateway)] : []),
  ];
  const child = carve(whole, taken, length);
  if (!child) return { refused: `${parent.name} has no free /${length}: something is reserved, leased or set aside in each` };
  const prefix = formatPrefix(child);
  const doc: Network = {
    ...parent,
    name: fresh(estate, `${parent.name}-${length}`),
    parent: parent.name,
    prefix,
    vlan: undefined,
    dhcp: [],
    pools: [],
    routes: [],
    gateway: child.v === 4 && length < 31 ? firstHost(prefixRange(child)) : undefined,
  };
  // What the parent reaches the child reaches, and what leads back to the parent must lead back to it.
  const back = estate.networks
    .filter((n) => parent.routesTo.includes(n.name) && n.routesTo.includes(parent.name))
    .map((n): Edit => ({ op: 'set', kind: 'Network', key: n.name, path: ['routesTo'], value: [...n.routesTo, doc.name] }));
  return { edits: [{ op: 'put', doc: bare(doc) }, ...back], moved: [], lost: [] };
}

/** Splits a network into children of a length; its first part keeps the name, and reservations go where their address lies. */
export function split(estate: Estate, n: Network, length: number): Reshaped {
  let parts: ReturnType<typeof splitPrefix>;
  try {
    parts = splitPrefix(parsePrefix(n.prefix), length, 64);
  } catch (e) {
    return { refused: (e as Error).message };
  }
  const docs = parts.map((p, i): Network => {
    const r = prefixRange(p);
    const inside = <T extends { range: string }>(list: readonly T[]) => list.filter((s) => contains(r, parseRange(s.range)));
    const gateway = n.gateway && holds(r, parseIp(n.gateway)) ? n.gateway : n.gateway && p.length < 31 ? firstHost(r) : undefined;
    return bare({
      ...n,
      name: i ? `${n.name}-${i + 1}` : n.name,
      prefix: formatPrefix(p),
      vlan: i ? undefined : n.vlan,
      gateway,
      dhcp: inside(n.dhcp),
      pools: inside(n.pools),
      routes: n.routes.filter((x) => holds(r, parseIp(x.via))),
    });
  });
  const taken = docs.slice(1).find((d) => estate.networks.some((x) => x.name === d.name));
  if (taken) return { refused: `there is a network ${taken.name} already` };
  return into(estate, [n], docs);
}

/** Makes one network of two that are the halves of one prefix; the first one's name and settings are kept. */
export function merge(estate: Estate, a: Network, b: Network): Reshaped {
  const whole = mergePrefixes(parsePrefix(a.prefix), parsePrefix(b.prefix));
  if (!whole) return { refused: `${a.prefix} and ${b.prefix} are not the two halves of one prefix` };
  if (a.site !== b.site) return { refused: `${a.name} and ${b.name} stand at two sites` };
  const named = new Set([...a.dhcp, ...a.pools].map((s) => s.name));
  const other = <T extends { name: string }>(list: readonly T[]) =>
    list.map((s) => (named.has(s.name) ? { ...s, name: `${s.name}-2` } : s));
  return into(
    estate,
    [a, b],
    [
      bare({
        ...a,
        prefix: formatPrefix(whole),
        dhcp: [...a.dhcp, ...other(b.dhcp)],
        pools: [...a.pools, ...other(b.pools)],
        routes: [...a.routes, ...b.routes],
      }),
    ],
  );
}

/** Gives a network another prefix. What no longer lies in it is named. */
export function resize(estate: Estate, n: Network, prefix: string): Reshaped {
  try {
    parsePrefix(prefix);
  } catch (e) {
    return { refused: (e as Error).message };
  }
  return into(estate, [n], [bare({ ...n, prefix })]);
}

/** Takes reservations, scopes, pools and children of networks into others that come in their place. */
function into(estate: Estate, before: readonly Network[], after: readonly Network[]): Reshape {
  const lost: string[] = [];
  const moved: Reservation[] = [];
  const edits: Edit[] = [];
  const names = new Set(after.map((n) => n.name));
  const homes = after.map((n) => ({ n, r: rangeOf(n) }));
  const kept = new Set(after.flatMap((n) => [...n.dhcp, ...n.pools].map((s) => s.range)));
  for (const n of before) {
    for (const s of [...n.dhcp, ...n.pools])
      if (!kept.has(s.range) || !homes.some(({ r }) => contains(r, parseRange(s.range))))
        lost.push(`${s.name} (${s.range}) of ${n.name} would be cut`);
    for (const child of estate.networks.filter((c) => c.parent === n.name && !before.includes(c))) {
      const home = homes.find(({ r }) => contains(r, rangeOf(child)));
      if (!home) lost.push(`${child.name} (${child.prefix}) was carved out of ${n.name} and would lie outside`);
      else if (home.n.name !== n.name)
        edits.push({ op: 'set', kind: 'Network', key: child.name, path: ['parent'], value: home.n.name });
    }
    for (const c of estate.charters.filter((x) => x.machineNetwork === n.name && !names.has(n.name)))
      lost.push(`${c.name} has its machines in ${n.name}`);
    if (n.gateway && !homes.some(({ r }) => holds(r, parseIp(n.gateway as string))))
      lost.push(`the gateway ${n.gateway} would lie outside`);
  }
  const drops: Edit[] = [];
  const puts: Edit[] = [];
  for (const n of before)
    for (const r of ofNetwork(estate, n)) {
      const home = homes.find((h) => holds(h.r, parseIp(r.address)));
      if (!home) lost.push(`${r.address} (${r.name ?? r.owner.name}) would lie outside`);
      else if (home.n.name !== r.network) {
        moved.push(r);
        drops.push({ op: 'drop', kind: 'Reservation', key: keyOf(r) });
        puts.push({ op: 'put', doc: { ...r, network: home.n.name } });
      }
    }
  const grown = after.filter((n) => before.some((b) => b.name === n.name && contains(rangeOf(n), rangeOf(b))));
  const other = after.filter((n) => !grown.includes(n));
  // What grows does so before it takes others in; what shrinks does so after it gave others away.
  return {
    edits: [
      ...drops,
      ...before.filter((n) => !names.has(n.name)).map((n): Edit => ({ op: 'drop', kind: 'Network', key: n.name })),
      ...[...grown, ...other].map((doc): Edit => ({ op: 'put', doc })),
      ...edits,
      ...puts,
    ],
    moved,
    lost,
  };
}

/** Without the keys that have no value, so that documents compare as they are written. */
const bare = (n: Network): Network => Object.fromEntries(Object.entries(n).filter(([, v]) => v !== undefined)) as Network;
