import { type Address, formatIp, formatPrefix, parsePrefix, type Prefix } from '@praesidor/core/address';
import { emptyEstate, type Estate, kinds, type Network } from '@praesidor/core/model';
import { type End, PrefixTrie, graphOf, reachMatrix, trace } from '@praesidor/core/reach';
import ipaddr from 'ipaddr.js';
import { row, timed } from './measure.ts';

/** The same numbers at every run. */
function random(seed: number) {
  let s = seed;
  return (below: number) => {
    s = (Math.imul(s, 1_103_515_245) + 12_345) >>> 0;
    return Math.floor((s / 2 ** 32) * below);
  };
}
/** Prefixes in 10.0.0.0/8, from /12 to /30, each once. */
function prefixes(count: number): Prefix[] {
  const pick = random(7);
  const found = new Map<string, Prefix>();
  while (found.size < count) {
    const length = 12 + pick(19);
    const host = BigInt(32 - length);
    const p: Prefix = { v: 4, n: (((10n << 24n) | BigInt(pick(2 ** 24))) >> host) << host, length };
    found.set(formatPrefix(p), p);
  }
  return [...found.values()];
}
const addresses = (count: number): Address[] => {
  const pick = random(11);
  return Array.from({ length: count }, () => ({ v: 4 as const, n: (10n << 24n) | BigInt(pick(2 ** 24)) }));
};
const trieOf = (all: readonly Prefix[]) => {
  const trie = new PrefixTrie<number>();
  for (const [i, p] of all.entries()) trie.set(p, i);
  return trie;
};

/** Networks of 32 addresses, of which every one routes to some others; static routes besides. */
function estateOf(networks: number, routes: number): Estate {
  const pick = random(3);
  const name = (i: number) => `net-${i}`;
  const prefix = (i: number) => formatPrefix({ v: 4, n: (10n << 24n) + BigInt(i * 32), length: 27 });
  const each = Math.floor(routes / networks);
  return {
    ...emptyEstate('2026-11-23T09:00:00Z'),
    networks: Array.from(
      { length: networks },
      (_, i) =>
        kinds.Network.parse({
          kind: 'Network',
          name: name(i),
          site: 'lr',
          purpose: 'machine',
          prefix: prefix(i),
          gateway: formatIp({ v: 4, n: (10n << 24n) + BigInt(i * 32 + 1) }),
          routesTo: [...new Set(Array.from({ length: Math.ceil(each / 2) + 1 }, () => name(pick(networks))))],
          routes: Array.from({ length: Math.max(1, each - 1) }, () => {
            const to = pick(networks);
            return { to: prefix(to), via: formatIp({ v: 4, n: (10n << 24n) + BigInt(i * 32 + 2) }) };
          }),
        }) as Network,
    ),
  };
}
const endIn = (n: Network, host: bigint): End => {
  const p = parsePrefix(n.prefix);
  return { label: n.name, address: formatIp({ v: p.v, n: p.n + host }), network: n.name };
};

/** Paths through many networks, and the route that is chosen among many. */
export async function reach() {
  const all = prefixes(5000);
  const asked = addresses(2000);
  const trie = trieOf(all);
  const scanned = all.map((p) => ipaddr.parseCIDR(formatPrefix(p)) as [ipaddr.IPv4, number]);
  const texts = asked.slice(0, 200).map((a) => ipaddr.parse(formatIp(a)) as ipaddr.IPv4);
  const scan = (a: ipaddr.IPv4) => {
    let best = -1;
    for (const [net, length] of scanned) if (length > best && a.match([net, length])) best = length;
    return best;
  };
  const same = texts.every((t, i) => scan(t) === (trie.longest(asked[i] as Address)?.prefix.length ?? -1));
  const slow = timed(() => void texts.map(scan), 3) / texts.length;
  const look = (t: PrefixTrie<number>) => {
    let n = 0;
    for (const a of asked) n += t.longest(a)?.prefix.length ?? 0;
    return n;
  };
  // Compiled by the engine before anything is measured.
  for (let n = 0; n < 50; n++) look(trie);
  const fast = timed(() => void look(trie), 31) / asked.length;
  row('next hop among 5,000 routes', `${(slow / fast).toFixed(0)} × as fast as a scan`, '≥ 100 ×', same && slow / fast >= 100);
  const times = [100, 100_000].map((n) => {
    const t = trieOf(prefixes(n));
    look(t);
    return timed(() => void look(t), 31);
  });
  const grown = (times[1] as number) / (times[0] as number);
  // Of a logarithm: log(100,000) ÷ log(100) is 2.5 times the steps; what is larger than the processor's cache takes longer for each.
  row('next hop, 100 to 100,000 routes', `${grown.toFixed(1)} × the time`, '≤ 6 ×', grown <= 6);

  const estate = estateOf(2000, 5000);
  const pick = random(5);
  const pairs = Array.from({ length: 10_000 }, () => [pick(2000), pick(2000)] as const);
  const run = () => {
    const graph = graphOf({ ...estate });
    return pairs.filter(
      ([a, b]) => trace(graph, endIn(estate.networks[a] as Network, 4n), endIn(estate.networks[b] as Network, 5n)).works,
    ).length;
  };
  const ms = timed(() => void run(), 3);
  row('10,000 paths, 2,000 networks, 5,000 routes', `${ms.toFixed(0)} ms`, '≤ 1,000 ms', ms <= 1000);
  const few = estateOf(200, 500);
  const allPairs = timed(() => {
    reachMatrix({ ...few }, few.networks);
  }, 3);
  row('all pairs of 200 networks', `${allPairs.toFixed(0)} ms`, '≤ 1,000 ms', allPairs <= 1000);
  const graph = graphOf(estate);
  const broken = pairs
    .map(([a, b]) => [endIn(estate.networks[a] as Network, 4n), endIn(estate.networks[b] as Network, 5n)] as const)
    .find(([a, b]) => trace(graph, a, b).forward.stop?.edits.length);
  const mend = broken ? timed(() => void trace(graph, broken[0], broken[1]), 20) : Number.NaN;
  row('what mends a broken path', `${mend.toFixed(2)} ms`, '≤ 50 ms', mend <= 50);
}
