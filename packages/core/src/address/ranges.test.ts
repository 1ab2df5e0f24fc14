import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  aggregate,
  forecast,
  formatPrefix,
  formatRange,
  joined,
  mergePrefixes,
  parsePrefix,
  parseRange,
  prefixesOf,
  prefixRange,
  serverList,
  size,
  splitPrefix,
  Space,
  subtract,
} from './index.ts';

const p = parsePrefix;
const byte = fc.integer({ min: 0, max: 255 });
const range = fc
  .tuple(byte, byte)
  .map(([a, b]) => ({ v: 4 as const, first: BigInt(Math.min(a, b)), last: BigInt(Math.max(a, b)) }));
const members = (rs: readonly { first: bigint; last: bigint }[]) =>
  new Set(rs.flatMap((r) => Array.from({ length: Number(r.last - r.first + 1n) }, (_, i) => Number(r.first) + i)));

describe('ranges and prefixes', () => {
  it('writes a range as the fewest prefixes', () => {
    // .1 | .2–.3 | .4–.7 | .8–.9 | .10
    expect(prefixesOf(parseRange('10.0.0.1-10.0.0.10')).map(formatPrefix)).toEqual([
      '10.0.0.1/32',
      '10.0.0.2/31',
      '10.0.0.4/30',
      '10.0.0.8/31',
      '10.0.0.10/32',
    ]);
    expect(prefixesOf(parseRange('0.0.0.0-255.255.255.255')).map(formatPrefix)).toEqual(['0.0.0.0/0']);
  });
  it('aggregates and subtracts', () => {
    expect(aggregate(['10.0.0.0/25', '10.0.0.128/25', '10.0.1.0/24', '10.0.1.0/26'].map(p)).map(formatPrefix)).toEqual([
      '10.0.0.0/23',
    ]);
    expect(
      subtract(prefixRange(p('10.0.0.0/28')), [parseRange('10.0.0.4-10.0.0.7'), parseRange('10.0.0.14-10.0.0.40')]).map(
        formatRange,
      ),
    ).toEqual(['10.0.0.0-10.0.0.3', '10.0.0.8-10.0.0.13']);
  });
  it('holds exactly what was given, whatever is given', () => {
    fc.assert(
      fc.property(fc.array(range, { maxLength: 10 }), range, (rs, from) => {
        expect(members(joined(rs))).toEqual(members(rs));
        expect(members(rs.flatMap(prefixesOf).map(prefixRange))).toEqual(members(rs));
        const left = members(subtract(from, rs));
        expect(left).toEqual(new Set([...members([from])].filter((n) => !members(rs).has(n))));
      }),
    );
  });
  it('splits into halves that merge again, and into nothing else', () => {
    const [a, b, c] = splitPrefix(p('10.0.0.0/24'), 26) as [ReturnType<typeof p>, ReturnType<typeof p>, ReturnType<typeof p>];
    expect(formatPrefix(mergePrefixes(a, b) as never)).toBe('10.0.0.0/25');
    expect(mergePrefixes(b, c)).toBeUndefined();
    expect(mergePrefixes(a, a)).toBeUndefined();
    expect(() => splitPrefix(p('10.0.0.0/24'), 24)).toThrow('not below');
    expect(() => splitPrefix(p('fd00::/48'), 64)).toThrow('65536 prefixes');
  });
});

describe('a space over time', () => {
  it('agrees with a plain set through any taking and giving back', () => {
    const act = fc.record({ take: fc.boolean(), r: range });
    fc.assert(
      fc.property(
        fc.array(act, { maxLength: 40 }),
        fc.integer({ min: 1, max: 8 }),
        fc.constantFrom(1n, 2n, 4n, 16n),
        byte,
        (acts, count, align, from) => {
          const space = new Space(p('0.0.0.0/24'), { ends: 'free' });
          const free = new Set(Array.from({ length: 256 }, (_, i) => i));
          for (const { take, r } of acts) {
            if (take) space.take(r);
            else space.release(r);
            for (const n of members([r])) take ? free.delete(n) : free.add(n);
          }
          expect(members(space.freeRuns())).toEqual(free);
          expect(space.left).toBe(BigInt(free.size));
          const runs = space.freeRuns();
          for (const [i, r] of runs.entries()) if (i) expect(r.first > (runs[i - 1]?.last ?? 0n) + 1n).toBe(true);
          let want: number | undefined;
          for (let n = from; n + count <= 256 && want === undefined; n++)
            if (n % Number(align) === 0 && Array.from({ length: count }, (_, k) => n + k).every((k) => free.has(k))) want = n;
          const within = { v: 4 as const, first: BigInt(from), last: 255n };
          expect(space.freeBlock(count, align, within)?.n).toBe(want === undefined ? undefined : BigInt(want));
          const above = [...free].filter((n) => n >= from);
          expect(space.nextFree({ kind: 'highest' }, within)?.n).toBe(above.length ? BigInt(Math.max(...above)) : undefined);
          const apart = space.nextFree({ kind: 'spread' });
          const widest = runs.reduce((m, r) => (size(r) > m ? size(r) : m), 0n);
          expect(apart !== undefined && runs.some((r) => size(r) === widest && r.first <= apart.n && apart.n <= r.last)).toBe(
            free.size > 0,
          );
          expect(space.spread(5).length).toBe(Math.min(5, free.size));
          expect(space.left).toBe(BigInt(free.size));
        },
      ),
    );
  });
});

describe('when a network is full', () => {
  const at = (day: number) => new Date(Date.UTC(2026, 0, 1 + day)).toISOString();
  it('goes on along the line of what was reserved', () => {
    // 2 a day for 10 days: 20 taken of 60; 40 left at 2 a day is 20 days
    const f = forecast(
      Array.from({ length: 11 }, (_, d) => ({ at: at(d), taken: 2 * d })),
      60,
      at(10),
    );
    expect(f?.perDay).toBeCloseTo(2);
    expect([f?.full, f?.earliest, f?.latest]).toEqual([at(30), at(30), at(30)]);
  });
  it('is less sure of an uneven line', () => {
    const f = forecast(
      [0, 5, 2, 9, 4, 12].map((taken, d) => ({ at: at(d), taken })),
      100,
      at(5),
    );
    expect(f?.earliest && f.full && f.earliest < f.full && (!f.latest || f.latest > f.full)).toBe(true);
  });
  it('says nothing of what does not fill, or was not watched for long', () => {
    expect(
      forecast(
        [3, 2, 1].map((taken, d) => ({ at: at(d), taken })),
        100,
        at(5),
      )?.full,
    ).toBeUndefined();
    expect(
      forecast(
        [
          { at: at(0), taken: 1 },
          { at: at(9), taken: 2 },
        ],
        100,
        at(9),
      ),
    ).toBeUndefined();
    expect(
      forecast(
        [0, 0.1, 0.2].map((d) => ({ at: at(d), taken: 1 })),
        100,
        at(1),
      ),
    ).toBeUndefined();
  });
});

describe('pasted files', () => {
  it.each([
    [
      '# made by hand\nsearch lr.example\nnameserver 10.0.0.1\nnameserver 10.0.0.2 # second\noptions edns0',
      ['10.0.0.1', '10.0.0.2'],
    ],
    ['server 10.0.0.9 iburst\npool 10.0.0.8 iburst maxsources 2\ndriftfile /var/lib/drift', ['10.0.0.9', '10.0.0.8']],
    ['10.0.0.1;10.0.0.2 ,10.0.0.1', ['10.0.0.1', '10.0.0.2']],
  ])('%j', (text, servers) => {
    expect(serverList(text)).toEqual({ servers, rejected: [], asTyped: false });
  });
});
