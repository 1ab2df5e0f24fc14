import { spawnSync } from 'node:child_process';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Address, bits, formatIp, formatPrefix, type Prefix } from '../src/address/index.ts';
import { PrefixTrie } from '../src/reach/index.ts';

/** The kernel's own choice of routes (`ip route get fibmatch`), in a network namespace of its own. */
const able =
  process.getuid?.() === 0 && spawnSync('unshare', ['--net', 'ip', 'link', 'add', 'd0', 'type', 'bridge']).status === 0;
if (!able) process.stderr.write('The kernel’s choice of routes is not compared: that takes root, ip and network namespaces.\n');

interface Table {
  routes: Prefix[];
  asked: Address[];
}
/** Many prefixes in one another, and addresses at their edges. */
function tables(v: 4 | 6, count: number): Table[] {
  const base = v === 4 ? 10n << 24n : 0xfdn << 120n;
  const free = BigInt(bits(v) - 8);
  const address = fc.bigInt({ min: 0n, max: (1n << free) - 1n }).map((n): Address => ({ v, n: base | n }));
  const cut = (a: Address, length: number): Prefix => {
    const host = BigInt(bits(v) - length);
    return { v, n: (a.n >> host) << host, length };
  };
  const table = fc
    .tuple(
      address,
      fc.array(fc.tuple(address, fc.integer({ min: 8, max: bits(v) }), fc.boolean()), { minLength: 1, maxLength: 24 }),
    )
    .map(([seed, all]): Table => {
      // Half of the routes lie around one address, so that they lie in one another.
      const routes = all.map(([a, length, around]) => cut(around ? seed : a, length));
      const edges = routes.flatMap((p): Address[] => {
        const last = p.n | ((1n << BigInt(bits(v) - p.length)) - 1n);
        return [
          { v, n: p.n },
          { v, n: last },
          { v, n: last + 1n },
          { v, n: p.n - 1n },
        ];
      });
      const inside = [seed, ...all.map(([a]) => a), ...edges].filter((a) => a.n >> free === base >> free);
      return { routes: [...new Map(routes.map((p) => [formatPrefix(p), p])).values()], asked: inside };
    });
  return fc.sample(table, { numRuns: count, seed: 2026 });
}

/** Number of the first table: those below 256 have a meaning (ip-route(8)). */
const first = 1000;

describe.runIf(able).each([4, 6] as const)('routes of IPv%d', (v) => {
  it('are chosen as the kernel chooses them, for 10,000 destinations in 500 tables', { timeout: 60_000 }, () => {
    const all = tables(v, 500);
    const asked = all.flatMap((t, i) => t.asked.map((a) => ({ table: i + first, a }))).slice(0, 10_000);
    expect(asked).toHaveLength(10_000);
    const every = v === 4 ? '0.0.0.0/0' : '::/0';
    const commands = [
      'link add d0 type bridge',
      'link set d0 up',
      ...all.flatMap((t, i) =>
        [`rule add fwmark ${i + first} table ${i + first}`, ...new Set([every, ...t.routes.map(formatPrefix)])].map((p) =>
          p.startsWith('rule') ? p : `route add ${p} dev d0 table ${i + first}`,
        ),
      ),
    ];
    const questions = asked.map(({ table, a }) => `route get fibmatch ${formatIp(a)} mark ${table}`);
    const run = spawnSync('unshare', ['--net', 'sh', '-c', `ip link set lo up; ip -${v} -batch -`], {
      input: [...commands, ...questions].join('\n'),
      encoding: 'utf8',
      maxBuffer: 50_000_000,
    });
    expect([run.status, run.stderr]).toEqual([0, '']);
    const chosen = run.stdout
      .trim()
      .split('\n')
      .map((line) => line.split(' ')[0] ?? '');
    expect(chosen).toHaveLength(asked.length);
    const tries = all.map((t) => {
      const trie = new PrefixTrie<string>();
      for (const p of t.routes) trie.set(p, formatPrefix(p));
      return trie;
    });
    // It writes a default by that word, and a prefix of full length without it.
    const full = `/${bits(v)}`;
    const ours = asked.map(({ table, a }) =>
      (tries[table - first]?.longest(a)?.value ?? 'default').replace(new RegExp(`${full}$`), ''),
    );
    const other = asked.flatMap(({ table, a }, i) =>
      ours[i] === chosen[i] ? [] : [`${formatIp(a)} in table ${table}: ${ours[i]}, and the kernel ${chosen[i]}`],
    );
    expect(other).toEqual([]);
  });
});
