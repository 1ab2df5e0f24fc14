import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  consecutive,
  formatIp,
  formatPrefix,
  overlappingPairs,
  overlaps,
  parseIp,
  parsePrefix,
  parseRange,
  prefixRange,
  serverList,
  size,
  Space,
  spaceOf,
} from './index.ts';

const v4 = fc.bigInt({ min: 0n, max: (1n << 32n) - 1n }).map((n) => ({ v: 4 as const, n }));
const v6 = fc.bigInt({ min: 0n, max: (1n << 128n) - 1n }).map((n) => ({ v: 6 as const, n }));

describe('text of addresses', () => {
  it('reads and writes what it wrote, for both versions', () => {
    fc.assert(
      fc.property(fc.oneof(v4, v6), (a) => {
        expect(parseIp(formatIp(a))).toEqual(a);
      }),
    );
  });
  it.each([
    ['10.62.8', 'no short forms'],
    ['010.0.0.1', 'no octal'],
    ['10.0.0.256', 'an octet too large'],
    ['fe80::1%eth0', 'no zone'],
    ['', 'nothing'],
    ['10.0.0.1 ; rm', 'more than an address'],
  ])('refuses %j: %s', (text) => {
    expect(() => parseIp(text)).toThrow('is not an address');
  });
  it('writes IPv6 as RFC 5952 says', () => {
    expect(formatIp(parseIp('2001:DB8:0:0:1:0:0:1'))).toBe('2001:db8::1:0:0:1');
  });
  it('says which network a prefix with address bits belongs to', () => {
    // 10.62.8.20 / 25: the last 7 bits must be 0, 20 = 0b0010100 → 10.62.8.0
    expect(() => parsePrefix('10.62.8.20/25')).toThrow('its network is 10.62.8.0/25');
  });
  it('knows the size of a prefix', () => {
    expect(size(prefixRange(parsePrefix('10.62.8.0/25')))).toBe(128n);
    expect(formatPrefix(parsePrefix('fd00::/64'))).toBe('fd00::/64');
  });
  it('refuses ranges the wrong way round or of two kinds', () => {
    expect(() => parseRange('10.0.0.9-10.0.0.1')).toThrow('ends before it begins');
    expect(() => parseRange('10.0.0.1-fd00::1')).toThrow('not a range');
  });
});

describe('lists of servers as people type them', () => {
  it.each([
    '10.40.0.53,10.40.0.54',
    '10.40.0.53 10.40.0.54',
    '10.40.0.53; 10.40.0.54',
    '10.40.0.53\n10.40.0.54\n',
    'nameserver 10.40.0.53\nnameserver 10.40.0.54',
  ])('understands %j', (text) => {
    expect(serverList(text)).toEqual({ servers: ['10.40.0.53', '10.40.0.54'], rejected: [], asTyped: false });
  });
  it('names what is no address, and keeps the rest', () => {
    expect(serverList('10.40.0.53 ns1')).toMatchObject({ servers: ['10.40.0.53'], rejected: ['ns1'] });
  });
});

describe('a space', () => {
  const lr = {
    prefix: '10.62.8.0/25',
    gateway: '10.62.8.1',
    dhcp: [{ range: '10.62.8.100-10.62.8.119' }],
    pools: [{ range: '10.62.8.20-10.62.8.31', use: 'virtual' }],
  };
  it('hands out the lowest address that is neither end, gateway, scope, pool nor reserved', () => {
    // .0 network, .1 gateway, .2 reserved → .3
    expect(formatIp(spaceOf(lr, ['10.62.8.2']).nextFree() as never)).toBe('10.62.8.3');
  });
  it('hands out from a pool when it is asked to by name', () => {
    expect(formatIp(spaceOf(lr, [], 'virtual').nextFree({ kind: 'lowest' }, parseRange('10.62.8.20-10.62.8.31')) as never)).toBe(
      '10.62.8.20',
    );
    expect(spaceOf(lr, []).isTaken(parseIp('10.62.8.20'))).toBe(true);
  });
  it('finds the highest, and the one after an address', () => {
    expect(formatIp(spaceOf(lr, ['10.62.8.126']).nextFree({ kind: 'highest' }) as never)).toBe('10.62.8.125');
    expect(formatIp(spaceOf(lr, []).nextFree({ kind: 'after', address: parseIp('10.62.8.99') }) as never)).toBe('10.62.8.120');
  });
  it('finds a block in a row, aligned', () => {
    // a scope at .100–.119 and a pool at .20–.31: sixteen from a multiple of 16 → .32
    expect(formatIp(spaceOf(lr, []).freeBlock(16, 16n) as never)).toBe('10.62.8.32');
    expect(spaceOf(lr, []).freeBlock(100)).toBeUndefined();
  });
  it('reserves no ends for point-to-point prefixes (RFC 3021, RFC 6164)', () => {
    expect(formatIp(new Space(parsePrefix('10.0.0.0/31')).nextFree() as never)).toBe('10.0.0.0');
    expect(formatIp(new Space(parsePrefix('fd00::/127')).nextFree() as never)).toBe('fd00::');
    expect(formatIp(new Space(parsePrefix('fd00::/64')).nextFree() as never)).toBe('fd00::1');
  });
  it('agrees with a plain scan, whatever was taken', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 63 }), fc.integer({ min: 1, max: 9 })), { maxLength: 12 }),
        fc.integer({ min: 1, max: 6 }),
        (taken, count) => {
          const prefix = parsePrefix('10.0.0.0/26');
          const space = new Space(prefix);
          const busy = new Set([0, 63]);
          for (const [at, n] of taken) {
            space.take({ v: 4, first: prefix.n + BigInt(at), last: prefix.n + BigInt(at + n - 1) });
            for (let i = at; i < at + n; i++) busy.add(i);
          }
          let want: number | undefined;
          for (let i = 0; i + count <= 64 && want === undefined; i++)
            if (Array.from({ length: count }, (_, k) => i + k).every((k) => !busy.has(k))) want = i;
          const got = space.freeBlock(count);
          expect(got && Number(got.n - prefix.n)).toBe(want);
          const free = 64 - [...busy].filter((b) => b < 64).length;
          expect(space.freeRuns().reduce((n, r) => n + Number(size(r)), 0)).toBe(free);
          expect(space.fullness()).toBeCloseTo(1 - free / 64, 5);
        },
      ),
    );
  });
  it('counts on', () => {
    expect(consecutive(parseIp('10.62.8.254'), 3)).toEqual(['10.62.8.254', '10.62.8.255', '10.62.9.0']);
  });
});

describe('overlaps', () => {
  it('finds the pairs that a comparison of all with all finds', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 200 }), fc.integer({ min: 0, max: 30 })), { maxLength: 25 }),
        (list) => {
          const ranges = list.map(([a, n], id) => ({ v: 4 as const, first: BigInt(a), last: BigInt(a + n), id }));
          const key = (a: number, b: number) => [a, b].sort((x, y) => x - y).join('-');
          const want = ranges
            .flatMap((a, i) =>
              ranges
                .slice(i + 1)
                .filter((b) => overlaps(a, b))
                .map((b) => key(a.id, b.id)),
            )
            .sort();
          expect(
            overlappingPairs(ranges)
              .map(([a, b]) => key(a.id, b.id))
              .sort(),
          ).toEqual(want);
        },
      ),
    );
  });
});

describe('ends and gaps', () => {
  it('IPv6 has an anycast address at its beginning and no broadcast at its end (RFC 4291 §2.6.1)', () => {
    const space = new Space(parsePrefix('fd00::/126'));
    expect([formatIp(space.nextFree() as never), formatIp(space.nextFree({ kind: 'highest' }) as never)]).toEqual([
      'fd00::1',
      'fd00::3',
    ]);
    expect(space.left).toBe(3n);
  });
  it('spread is the middle of the widest gap', () => {
    // Free: .1 to .9, and .11 to .14: the wider is nine wide, its middle .5
    const space = new Space(parsePrefix('10.0.0.0/28'), { taken: [parseRange('10.0.0.10-10.0.0.10')] });
    expect(formatIp(space.nextFree({ kind: 'spread' }) as never)).toBe('10.0.0.5');
  });
});
