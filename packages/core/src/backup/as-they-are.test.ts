import { describe, expect, it } from 'vitest';
import { type CopyAsIs, copyText, keptBy, unreachable, type VolumeAsIs, wholeOf } from './as-they-are.ts';

const copy = (host: string, state: CopyAsIs['state'] = 'current', more: Partial<CopyAsIs> = {}): CopyAsIs => ({
  host,
  state,
  age: 90_000,
  ...more,
});
const volume = (copies: CopyAsIs[], wanted = 2): VolumeAsIs => ({ name: 'ais-store/data', lies: [], copies, wanted });
/** 40 of 200 GB, at 1 Gbit/s: (200 − 40) × 8 = 1,280 s. */
const rebuilds = copy('b', 'filling', { from: 'a', filled: 40e9, of: 200e9, left: 1_280_000 });

describe('a copy, in words', () => {
  it.each([
    [copy('a'), 'whole'],
    [rebuilds, 'rebuilds from a, 20 % done, 21 min 20 s left'],
    [copy('a', 'behind'), 'lacks the last writes, and no host that has them answers'],
    [
      copy('a', 'silent', { why: 'no further host has room for a copy' }),
      'does not answer for 1 min 30 s: no further host has room for a copy',
    ],
    [copy('a', 'gone'), 'has lost its copy'],
  ])('%o', (c, text) => {
    expect(copyText(c)).toBe(text);
  });
});
describe('a volume', () => {
  it('has so many whole copies of so many, and the rest by then', () => {
    expect(wholeOf(volume([copy('a'), copy('b')]))).toEqual({ whole: 2, of: 2, left: undefined });
    expect(wholeOf(volume([copy('a'), rebuilds]))).toEqual({ whole: 1, of: 2, left: 1_280_000 });
    expect(wholeOf(volume([copy('a'), rebuilds, copy('c', 'silent')], 3))).toEqual({ whole: 1, of: 3, left: undefined });
    expect(wholeOf({ name: 'v', lies: ['a'] })).toBeUndefined();
  });
});
describe('data that no whole copy has', () => {
  const of = (...copies: CopyAsIs[]) => volume(copies);
  it('may come back with the hosts that do not answer; else what was written after the newest backup is lost', () => {
    expect(unreachable(of(copy('a'), copy('b', 'gone')), 'x')).toBeUndefined();
    expect(unreachable({ name: 'v', lies: ['a'] }, 'x')).toBeUndefined();
    expect(unreachable(of(), 'x')).toBe('it lies on no host yet');
    expect(unreachable(of(copy('a', 'silent'), copy('b', 'behind')), '1 Dec 02:00')).toBe(
      'no host that answers has all of it; a may. If that is lost for good, what was written after the newest backup, of 1 Dec 02:00, is lost',
    );
    expect(unreachable(of(copy('a', 'silent'), copy('b', 'silent')), undefined)).toBe(
      'no host that answers has all of it; a or b may. If those are lost for good, all of it is lost: it has no backup',
    );
    expect(unreachable(of(copy('a', 'gone'), copy('b', 'gone')), '1 Dec 02:00')).toBe(
      'every copy is gone or lacks the last writes; what was written after the newest backup, of 1 Dec 02:00, is lost',
    );
  });
});
describe('a host is kept', () => {
  const two = volume([copy('a'), copy('b')]);
  it('for a while by the only whole copy of a volume that is to have more, and by nothing else', () => {
    expect(keptBy([two], 'a')).toEqual([]);
    expect(keptBy([volume([copy('a'), rebuilds])], 'a')).toEqual([
      'ais-store/data has its only whole copy on a; b rebuilds from a, 20 % done, 21 min 20 s left',
    ]);
    expect(keptBy([volume([copy('a'), rebuilds])], 'b')).toEqual([]);
    expect(keptBy([volume([copy('a')], 1)], 'a')).toEqual([]);
    expect(keptBy([{ name: 'v', lies: ['a'] }], 'a')).toEqual([]);
  });
  it('for good by what lies there alone, and by each volume that has not all its copies on those that stay', () => {
    expect(
      keptBy(
        [
          { name: 'v', lies: ['a'] },
          { name: 'w', lies: ['a', 'c'] },
        ],
        'a',
        { going: ['a'], places: 9 },
      ),
    ).toEqual(['v lies on a alone']);
    expect(keptBy([{ name: 'w', lies: ['a', 'c'] }], 'a', { going: ['a', 'c'], places: 9 })).toEqual(['w lies on a alone']);
    expect(keptBy([two], 'a', { going: ['a'], places: 9 })).toEqual(['ais-store/data has 1 of 2 copies elsewhere']);
    expect(keptBy([two], 'c', { going: ['c'], places: 9 })).toEqual([]);
    expect(keptBy([volume([copy('a'), copy('b'), copy('c')])], 'a', { going: ['a'], places: 9 })).toEqual([]);
    // Both go: c alone stays.
    expect(keptBy([volume([copy('a'), copy('b'), copy('c')])], 'a', { going: ['a', 'b'], places: 9 })).toEqual([
      'ais-store/data has 1 of 2 copies elsewhere',
    ]);
    expect(keptBy([volume([copy('a', 'silent'), copy('b')])], 'a', { going: ['a'], places: 9 })).toEqual([
      'ais-store/data has 1 of 2 copies elsewhere',
    ]);
    expect(keptBy([volume([copy('a', 'gone'), copy('b')])], 'a', { going: ['a'], places: 9 })).toEqual([]);
    expect(keptBy([volume([copy('a')], 1)], 'a', { going: ['a'], places: 9 })).toEqual([
      'ais-store/data has 0 of 1 copy elsewhere',
    ]);
    // One host stays: a second copy has no place.
    expect(keptBy([two], 'a', { going: ['a'], places: 1 })).toEqual([]);
    expect(keptBy([volume([copy('a')])], 'a', { going: ['a'], places: 0 })).toEqual(['ais-store/data has 0 of 1 copy elsewhere']);
  });
});
