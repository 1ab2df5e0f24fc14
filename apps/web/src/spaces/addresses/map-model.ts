import {
  formatIp,
  holds,
  parseIp,
  parsePrefix,
  parseRange,
  prefixRange,
  type Range,
  reservedEnds,
} from '@praesidor/core/address';
import type { Estate, Network, Reservation } from '@praesidor/core/model';

/** What stands on an address; the number in the map is the place in this list. */
export const cellKinds = [
  'free',
  'end',
  'gateway',
  'host',
  'virtual',
  'pool',
  'dhcp',
  'hand',
  'twice',
  'aside',
  'resting',
  'carved',
] as const;
export type CellKind = (typeof cellKinds)[number];
const code = Object.fromEntries(cellKinds.map((k, i) => [k, i])) as Record<CellKind, number>;

/** Largest prefix that is drawn with every address; above it a cell is a block of many. */
export const mostCells = 65_536;
const mostBlocks = 1024;

export interface MapModel {
  network: string;
  range: Range;
  /** Addresses a cell: one, or the size of a block. */
  scale: bigint;
  /** The kind of each cell; of a block, what most of it is. */
  kinds: Uint8Array;
  /** Of blocks: how full each is, 0 to 1. */
  fill?: Float32Array;
  addressOf: (cell: number) => string;
  cellOf: (address: string) => number;
  /** What a cell is, in a sentence. */
  says: (cell: number) => string;
}

interface Claims {
  scopes: (Range & { name: string })[];
  services: (Range & { name: string })[];
  aside: (Range & { name: string; use: string })[];
  carved: (Range & { name: string; prefix: string })[];
  by: Map<string, Reservation>;
  /** Addresses of gateways, and of their members. */
  routers: Map<string, string>;
}

function claimsOf(network: Network, estate: Estate): Claims {
  return {
    by: new Map(estate.reservations.filter((r) => r.network === network.name).map((r) => [r.address, r])),
    scopes: network.dhcp.map((s) => ({ ...parseRange(s.range), name: s.name })),
    services: estate.charters
      .filter((c) => c.machineNetwork === network.name && c.servicePool)
      .map((c) => ({ ...parseRange(c.servicePool?.range ?? ''), name: c.name })),
    aside: network.pools.filter((p) => p.use !== 'host').map((p) => ({ ...parseRange(p.range), name: p.name, use: p.use })),
    routers: new Map(
      estate.gateways.flatMap((g) => [
        ...g.members.flatMap((m) =>
          m.interfaces.filter((f) => f.network === network.name).map((f) => [f.address, m.name] as const),
        ),
        ...g.addresses.filter((a) => a.network === network.name).map((a) => [a.address, g.name] as const),
      ]),
    ),
    carved: estate.networks
      .filter((n) => n.parent === network.name)
      .map((n) => ({ ...prefixRange(parsePrefix(n.prefix)), name: n.name, prefix: n.prefix })),
  };
}

/** A published service of a cluster, at an address of its own pool. */
const ofService = (r: Reservation): boolean => r.owner.kind === 'charter' && (r.owner.use?.startsWith('service ') ?? false);

const kindOf = (r: Reservation): CellKind => {
  if (r.resting) return 'resting';
  if (r.owner.kind === 'host') return 'host';
  if (r.origin !== 'follows') return 'hand';
  return r.owner.use === 'api' || r.owner.use === 'inbound' || ofService(r) ? 'virtual' : 'host';
};

/** Every address of an IPv4 prefix with what stands on it; what two claim is claimed twice. Undefined for IPv6. */
export function mapOf(network: Network, estate: Estate): MapModel | undefined {
  const prefix = parsePrefix(network.prefix);
  if (prefix.v === 6) return undefined;
  const range = prefixRange(prefix);
  const count = range.last - range.first + 1n;
  const claims = claimsOf(network, estate);
  const scale = count > BigInt(mostCells) ? count / BigInt(mostBlocks) : 1n;
  const addressOf = (cell: number) => formatIp({ v: 4, n: range.first + BigInt(cell) * scale });
  const cellOf = (address: string) => {
    const a = parseIp(address);
    return holds(range, a) ? Number((a.n - range.first) / scale) : -1;
  };
  const shared = { network: network.name, range, scale, addressOf, cellOf };
  if (scale > 1n) {
    const fill = new Float32Array(mostBlocks);
    for (const address of claims.by.keys()) {
      const cell = cellOf(address);
      if (cell >= 0) fill[cell] = (fill[cell] as number) + 1 / Number(scale);
    }
    const says = (cell: number) =>
      `${addressOf(cell)}, ${scale} addresses, ${Math.round((fill[cell] ?? 0) * Number(scale))} reserved`;
    return { ...shared, kinds: new Uint8Array(mostBlocks), fill, says };
  }
  const kinds = paint(network, range, claims, Number(count));
  return { ...shared, kinds, says: (cell) => sentence(network, prefix, claims, addressOf(cell), kinds[cell] ?? 0) };
}

/** One number a cell: ranges first, then what is reserved, then what is claimed twice. */
function paint(network: Network, range: Range, claims: Claims, count: number): Uint8Array {
  const kinds = new Uint8Array(count);
  const claimed = new Uint8Array(count);
  const bound = new Uint8Array(count);
  const at = (n: bigint) => Number(n - range.first);
  const over = (r: Range, each: (i: number) => void) => {
    const from = Math.max(0, at(r.first));
    const to = Math.min(count - 1, at(r.last));
    for (let i = from; i <= to; i++) each(i);
  };
  const ends = reservedEnds(parsePrefix(network.prefix));
  for (const r of claims.aside) over(r, (i) => (kinds[i] = code.aside));
  for (const n of ends) kinds[at(n)] = code.end;
  for (const r of claims.carved) over(r, (i) => (kinds[i] = code.carved));
  for (const r of claims.scopes)
    over(r, (i) => {
      kinds[i] = code.dhcp;
      claimed[i] = (claimed[i] as number) + 1;
      bound[i] = 1;
    });
  for (const r of claims.services)
    over(r, (i) => {
      kinds[i] = code.pool;
      claimed[i] = (claimed[i] as number) + 1;
      bound[i] = 2;
    });
  for (const [address, r] of claims.by) {
    const i = at(parseIp(address).n);
    if (i < 0 || i >= count) continue;
    kinds[i] = code[kindOf(r)];
    // A reservation for a MAC inside a scope is what a DHCP server is told: it claims nothing twice.
    // A service of a cluster has its address of the pool of that cluster.
    if (!(r.mac && bound[i] === 1) && !(ofService(r) && bound[i] === 2) && !r.resting) claimed[i] = (claimed[i] as number) + 1;
  }
  for (let i = 0; i < count; i++) if ((claimed[i] as number) > 1) kinds[i] = code.twice;
  for (const address of claims.routers.keys()) {
    const i = at(parseIp(address).n);
    if (i >= 0 && i < count && kinds[i] !== code.twice) kinds[i] = code.gateway;
  }
  if (network.gateway) {
    const g = at(parseIp(network.gateway).n);
    if (g >= 0 && g < count && kinds[g] !== code.twice) kinds[g] = code.gateway;
  }
  return kinds;
}

function sentence(network: Network, prefix: { length: number }, c: Claims, address: string, kind: number): string {
  const a = parseIp(address);
  const r = c.by.get(address);
  const claims = [
    ...c.scopes.filter((s) => holds(s, a)).map((s) => `DHCP scope ${s.name}`),
    ...c.services.filter((s) => holds(s, a)).map((s) => `service pool of ${s.name}`),
    ...(r
      ? [
          `${r.name ?? r.owner.name}${r.mac ? `, ${r.mac}` : ''}${r.resting ? `, resting until ${r.until?.slice(0, 10) ?? 'it is set free'}` : ''}`,
        ]
      : []),
  ];
  if (cellKinds[kind] === 'twice') return `${address}: ${claims.join(' and ')}: claimed twice`;
  const router = c.routers.get(address);
  if (network.gateway === address) return `${address}: gateway${router ? ` (${router})` : ''}`;
  if (router) return `${address}: ${router}`;
  if (claims.length) return `${address}: ${claims.join(' and ')}`;
  const carved = c.carved.find((s) => holds(s, a));
  if (carved) return `${address}: belongs to ${carved.name}, ${carved.prefix}`;
  if (cellKinds[kind] === 'end')
    return `${address}: ${prefix.length < 31 && a.n === prefixRange(parsePrefix(network.prefix)).last ? 'broadcast' : 'network'} address`;
  const aside = c.aside.find((s) => holds(s, a));
  if (aside) return `${address}: set aside for ${aside.name}`;
  return `${address}: free`;
}

/** Occupied runs of a prefix with the gaps between: what IPv6 has instead of cells. */
export function runsOf(
  network: Network,
  estate: Estate,
): { from: string; to: string; count: bigint; what: string; gap: bigint }[] {
  const { first } = prefixRange(parsePrefix(network.prefix));
  const c = claimsOf(network, estate);
  const items = [
    ...c.scopes.map((s) => ({ a: s.first, b: s.last, what: `DHCP scope ${s.name}` })),
    ...c.aside.map((s) => ({ a: s.first, b: s.last, what: `set aside: ${s.name}` })),
    ...c.carved.map((s) => ({ a: s.first, b: s.last, what: `network ${s.name}` })),
    ...[...c.routers].map(([address, what]) => ({ a: parseIp(address).n, b: parseIp(address).n, what })),
    ...(network.gateway ? [{ a: parseIp(network.gateway).n, b: parseIp(network.gateway).n, what: 'gateway' }] : []),
    ...[...c.by.values()].map((r) => ({ a: parseIp(r.address).n, b: parseIp(r.address).n, what: r.name ?? r.owner.name })),
  ].sort((x, y) => (x.a < y.a ? -1 : x.a > y.a ? 1 : 0));
  const v = parsePrefix(network.prefix).v;
  const text = (n: bigint) => formatIp({ v, n });
  const out: { a: bigint; b: bigint; what: string[] }[] = [];
  for (const i of items) {
    const near = out.at(-1);
    if (near && i.a <= near.b + 1n) {
      if (i.b > near.b) near.b = i.b;
      near.what.push(i.what);
    } else out.push({ a: i.a, b: i.b, what: [i.what] });
  }
  return out.map((o, i) => ({
    from: text(o.a),
    to: text(o.b),
    count: o.b - o.a + 1n,
    what: o.what.length > 4 ? `${o.what.slice(0, 3).join(', ')} and ${o.what.length - 3} more` : o.what.join(', '),
    gap: o.a - (i ? (out[i - 1]?.b ?? 0n) + 1n : first),
  }));
}
