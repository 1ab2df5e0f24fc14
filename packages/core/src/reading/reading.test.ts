import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Cells, Once } from './cells.ts';
import { Shelf } from './shelf.ts';

interface Thing {
  key: string;
  at?: string;
  tags: string[];
}
const makers = { at: (t: Thing) => t.at, tag: (t: Thing) => t.tags };

describe('a shelf', () => {
  it('has the groups that its values say, in the order of the keys, whatever came and went: property', () => {
    const thing = fc.record({
      key: fc.constantFrom('a', 'b', 'c', 'd'),
      at: fc.option(fc.constantFrom('x', 'y'), { nil: undefined }),
      tags: fc.uniqueArray(fc.constantFrom('p', 'q', 'r')),
    });
    fc.assert(
      fc.property(fc.array(fc.record({ thing, gone: fc.boolean(), look: fc.boolean() }), { maxLength: 25 }), (steps) => {
        const shelf = new Shelf<Thing>('Thing', makers as never, (t) => t.key);
        const plain = new Map<string, Thing>();
        const handed: { list: readonly Thing[]; was: Thing[] }[] = [];
        for (const { thing: t, gone, look } of steps) {
          const value = { ...t } as Thing;
          shelf.set(t.key, gone ? undefined : value, new Set());
          if (gone) plain.delete(t.key);
          else plain.set(t.key, value);
          if (!look) continue;
          const now = [...plain.values()].sort((a, b) => (a.key < b.key ? -1 : 1));
          for (const x of ['x', 'y']) expect(shelf.in('at', x)).toEqual(now.filter((v) => v.at === x));
          for (const q of ['p', 'q', 'r']) {
            const list = shelf.in('tag', q);
            expect(list).toEqual(now.filter((v) => v.tags.includes(q)));
            handed.push({ list, was: [...list] });
          }
          expect([...shelf.groupKeys('at')].sort()).toEqual([...new Set(now.flatMap((v) => v.at ?? []))].sort());
          const many = ['p', 'q', 'r'].filter((q) => now.filter((v) => v.tags.includes(q)).length > 1);
          expect([...shelf.shared('tag')].sort()).toEqual(many);
        }
        // What somebody was given does not change under them.
        for (const { list, was } of handed) expect(list).toEqual(was);
      }),
    );
  });
  it('tells which readings are no longer what they were', () => {
    const shelf = new Shelf<Thing>('Thing', makers as never, (t) => t.key);
    shelf.in('at', 'x');
    const changed = new Set<string>();
    shelf.set('a', { key: 'a', at: 'x', tags: [] }, changed);
    expect([...changed].sort()).toEqual(['Thing *', 'Thing a', 'Thing keys', 'Thing/at keys', 'Thing/at x']);
  });
});

describe.each([
  ['that are kept', () => new Cells()],
  ['that are computed once', () => new Once()],
])('values %s', (_, make) => {
  it('are computed once as long as nothing changes', () => {
    const keeper = make();
    let runs = 0;
    const one = () => keeper.get('one', () => ++runs && undefined);
    expect([one(), one(), runs]).toEqual([undefined, undefined, 1]);
  });
  it('that need themselves are an error with the way round, and can be asked again', () => {
    const keeper = make();
    const a = (): number => keeper.get('a', () => b());
    const b = (): number => keeper.get('b', () => a());
    expect(a).toThrow('computed from itself: a ← b ← a');
    expect(a).toThrow('computed from itself: a ← b ← a');
  });
});

it('what was computed once refuses another state', () => {
  const once = new Once();
  once.get('a', () => 1);
  expect(() => once.changed(['Host a'])).toThrow('needs Cells');
});
