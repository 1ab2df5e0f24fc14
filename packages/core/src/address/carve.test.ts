import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { carve, formatPrefix, nextPrefix, overlaps, parsePrefix, prefixRange } from './index.ts';

const p = parsePrefix;
const r = (text: string) => prefixRange(p(text));
const text = (x: ReturnType<typeof carve>) => x && formatPrefix(x);

describe('carving a child out of a prefix', () => {
  it('takes the lowest that is free, on its own boundary', () => {
    // .0/26 is taken by .0–.9, .64/26 is free
    expect(text(carve(p('10.0.0.0/24'), [r('10.0.0.8/31')], 26))).toBe('10.0.0.64/26');
    expect(text(carve(p('10.0.0.0/24'), [], 24))).toBe('10.0.0.0/24');
  });
  it('says when there is none, or none of that length can be', () => {
    expect(carve(p('10.0.0.0/24'), [r('10.0.0.0/25'), r('10.0.0.192/32')], 25)).toBeUndefined();
    expect(carve(p('10.0.0.0/24'), [], 23)).toBeUndefined();
    expect(carve(p('10.0.0.0/24'), [], 33)).toBeUndefined();
  });
  it('carves IPv6 as it carves IPv4', () => {
    expect(text(carve(p('fd00:62::/48'), [r('fd00:62::/64'), r('fd00:62:0:1::/64')], 64))).toBe('fd00:62:0:2::/64');
  });
  it('never overlaps what is taken, and finds one whenever a plain search does', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 255 }), fc.integer({ min: 24, max: 32 })), { maxLength: 12 }),
        fc.integer({ min: 24, max: 32 }),
        (list, length) => {
          const parent = p('10.0.0.0/24');
          const taken = list.map(([at, len]) =>
            prefixRange({ v: 4 as const, n: parent.n + BigInt(at & (0xff << (32 - len)) & 0xff), length: len }),
          );
          const step = 1 << (32 - length);
          let want: bigint | undefined;
          for (let n = 0; n < 256 && want === undefined; n += step) {
            const child = prefixRange({ v: 4, n: parent.n + BigInt(n), length });
            if (!taken.some((t) => overlaps(t, child))) want = child.first;
          }
          expect(carve(parent, taken, length)?.n).toBe(want);
        },
      ),
    );
  });
  it('goes on behind a neighbour, inside the private block it lies in', () => {
    expect(text(nextPrefix(p('10.62.8.0/25'), [r('10.62.8.0/25'), r('10.62.8.128/25')]))).toBe('10.62.9.0/25');
    expect(text(nextPrefix(p('192.168.255.0/24'), [r('192.168.255.0/24')]))).toBe('192.168.0.0/24');
  });
});
