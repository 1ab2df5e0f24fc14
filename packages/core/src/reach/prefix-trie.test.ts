import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Address, bits, formatPrefix, holds, parseIp, parsePrefix, type Prefix, prefixRange } from '../address/parse.ts';
import { PrefixTrie } from './prefix-trie.ts';

const trie = (...prefixes: string[]) => {
  const t = new PrefixTrie<string>();
  for (const p of prefixes) t.set(parsePrefix(p), p);
  return t;
};
const longest = (t: PrefixTrie<string>, address: string) => t.longest(parseIp(address))?.value;

describe('the longest prefix', () => {
  const t = trie('0.0.0.0/0', '10.0.0.0/8', '10.62.0.0/16', '10.62.8.0/25', '10.62.8.64/28', '10.62.8.66/32', 'fd00:62::/32');
  it.each([
    ['10.62.8.66', '10.62.8.66/32'],
    ['10.62.8.67', '10.62.8.64/28'],
    // .80 is the first behind .64/28, which ends at .79; the /25 goes to .127.
    ['10.62.8.80', '10.62.8.0/25'],
    ['10.62.8.128', '10.62.0.0/16'],
    ['10.63.0.1', '10.0.0.0/8'],
    ['192.168.1.1', '0.0.0.0/0'],
    ['fd00:62:8::1', 'fd00:62::/32'],
  ])('of %s is %s', (address, prefix) => expect(longest(t, address)).toBe(prefix));
  it('of an address that lies in none is none; of the other version of IP neither', () => {
    expect(longest(t, 'fd01::1')).toBeUndefined();
    expect(longest(trie('10.0.0.0/8'), '::a00:1')).toBeUndefined();
    expect(longest(new PrefixTrie(), '10.0.0.1')).toBeUndefined();
  });
  it('is the last value that was put in for it, and counts once', () => {
    const t = trie('10.0.0.0/8', '10.0.0.0/9').set(parsePrefix('10.0.0.0/8'), 'again');
    expect([t.size, t.get(parsePrefix('10.0.0.0/8')), t.get(parsePrefix('10.0.0.0/9')), longest(t, '10.200.0.1')]).toEqual([
      2,
      'again',
      '10.0.0.0/9',
      'again',
    ]);
    // Where ways part, nothing was put in.
    expect(trie('10.0.0.0/16', '10.1.0.0/16').get(parsePrefix('10.0.0.0/15'))).toBeUndefined();
  });
  it('is the first of all that it lies in', () => {
    expect(t.over(parseIp('10.62.8.66')).map((e) => e.value)).toEqual([
      '10.62.8.66/32',
      '10.62.8.64/28',
      '10.62.8.0/25',
      '10.62.0.0/16',
      '10.0.0.0/8',
      '0.0.0.0/0',
    ]);
  });
});

/** Addresses and prefixes near each other, so that many lie in one another. */
const near = (v: 4 | 6) =>
  fc.bigInt({ min: 0n, max: 4095n }).map((n): Address => ({ v, n: (n << (v === 4 ? 20n : 116n)) | (n & 7n) }));
const prefixes = (v: 4 | 6) =>
  fc.tuple(near(v), fc.integer({ min: 0, max: bits(v) })).map(([a, length]): Prefix => {
    const host = BigInt(bits(v) - length);
    return { v, n: (a.n >> host) << host, length };
  });
describe('against looking at every prefix', () => {
  it('finds the same, whatever was put in, in whatever order', () => {
    fc.assert(
      fc.property(
        fc
          .constantFrom(4 as const, 6 as const)
          .chain((v) => fc.tuple(fc.array(prefixes(v), { maxLength: 60 }), fc.array(near(v), { maxLength: 20 }))),
        ([all, asked]) => {
          const t = new PrefixTrie<string>();
          for (const p of all) t.set(p, formatPrefix(p));
          const distinct = [...new Map(all.map((p) => [formatPrefix(p), p])).values()];
          expect(t.size).toBe(distinct.length);
          for (const a of [...asked, ...all]) {
            const over = distinct.filter((p) => holds(prefixRange(p), a)).sort((x, y) => y.length - x.length);
            expect(t.over(a).map((e) => e.value)).toEqual(over.map(formatPrefix));
            expect(t.longest(a)?.value).toBe(over[0] && formatPrefix(over[0]));
          }
          for (const p of distinct) expect(t.get(p)).toBe(formatPrefix(p));
        },
      ),
      { numRuns: 500 },
    );
  });
  // Where there are many the first steps are taken at once: what all share, what lies beside it, and prefixes shorter than what is stepped over.
  it.each([
    [4, 0],
    [4, 7],
    [4, 18],
    [6, 0],
    [6, 20],
    [6, 100],
  ] as const)('finds the same among many of IPv%d that share %d bits, while more are put in', (v, shared) => {
    const all = bits(v);
    const [prefix] = fc.sample(fc.bigInt({ min: 0n, max: (1n << BigInt(shared)) - 1n }), { numRuns: 1, seed: shared });
    const address = fc
      .bigInt({ min: 0n, max: (1n << BigInt(all - shared)) - 1n })
      .map((n): Address => ({ v, n: ((prefix ?? 0n) << BigInt(all - shared)) | n }));
    const put = fc.sample(
      fc.tuple(address, fc.integer({ min: shared, max: all })).map(([a, length]): Prefix => {
        const host = BigInt(all - length);
        return { v, n: (a.n >> host) << host, length };
      }),
      { numRuns: 1400, seed: 7 },
    );
    const others = fc
      .sample(fc.bigInt({ min: 0n, max: (1n << BigInt(all)) - 1n }), { numRuns: 30, seed: 8 })
      .map((n) => ({ v, n }));
    const asked = [...fc.sample(address, { numRuns: 200, seed: 9 }), ...others, ...put.slice(0, 200)];
    const t = new PrefixTrie<string>();
    for (const part of [put.slice(0, 1000), put.slice(1000, 1399), put.slice(1399)]) {
      for (const p of part) t.set(p, formatPrefix(p));
      const there = put.slice(0, put.indexOf(part.at(-1) as Prefix) + 1);
      const want = asked.map((a) => {
        const [best] = there.filter((p) => holds(prefixRange(p), a)).sort((x, y) => y.length - x.length);
        return best && formatPrefix(best);
      });
      // Asked twice: before the first steps are taken at once, and after.
      for (const _ of [1, 2]) expect(asked.map((a) => t.longest(a)?.value)).toEqual(want);
    }
  });
});
