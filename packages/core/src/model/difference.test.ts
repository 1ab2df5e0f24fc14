import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { differences, mergeFields, same } from './difference.ts';

/** Documents as they are declared: objects in objects, lists, texts, numbers; no nulls. */
const leaf = fc.oneof(
  fc.constantFrom('a', 'b', 'c'),
  fc.integer({ min: 0, max: 3 }),
  fc.boolean(),
  fc.array(fc.constantFrom(1, 2), { maxLength: 2 }),
);
const { tree } = fc.letrec((tie) => ({
  tree: fc.dictionary(fc.constantFrom('x', 'y', 'z', 'w'), fc.oneof({ maxDepth: 3 }, leaf, tie('tree')), { maxKeys: 4 }),
}));
const doc = tree as fc.Arbitrary<Record<string, unknown>>;
/** Objects without anything in them say nothing: fields come and go with what is in them. */
const bare = (v: unknown): unknown =>
  v && typeof v === 'object' && !Array.isArray(v)
    ? Object.fromEntries(
        Object.entries(v).flatMap(([k, x]) => {
          const b = bare(x);
          return b && typeof b === 'object' && !Array.isArray(b) && !Object.keys(b).length ? [] : [[k, b]];
        }),
      )
    : v;

describe('differences', () => {
  it('are told field by field, as deep as both go', () => {
    expect(
      differences({ api: { name: 'a', address: 1 }, list: [1] }, { api: { name: 'b', address: 1 }, list: [1, 2], mtu: 9000 }),
    ).toEqual([
      { path: ['api', 'name'], before: 'a', after: 'b' },
      { path: ['list'], before: [1], after: [1, 2] },
      { path: ['mtu'], after: 9000 },
    ]);
    expect(differences(null, { a: { b: 1 } })).toEqual([{ path: ['a', 'b'], after: 1 }]);
    expect(differences({ a: { b: 1 } }, { a: 2 })).toEqual([{ path: ['a'], before: { b: 1 }, after: 2 }]);
  });
  it('do not depend on the order of keys, and take a missing field for one that is undefined', () => {
    expect(same({ a: 1, b: { c: 2, d: undefined } }, { b: { c: 2 }, a: 1 })).toBe(true);
    expect(same([1, 2], [2, 1])).toBe(false);
    expect(same({}, [])).toBe(false);
  });
  it('made in the document they begin from give the other one', () => {
    fc.assert(
      fc.property(doc, doc, (a, b) => {
        const { merged, collisions } = mergeFields(a, differences(a, b));
        expect(collisions).toEqual([]);
        expect(same(bare(merged), bare(b))).toBe(true);
      }),
      { numRuns: 1000 },
    );
  });
});

describe('two people', () => {
  it('keep both changes when they are of different fields', () => {
    const base = { a: 1, b: { c: 1, d: 1 } };
    const theirs = { a: 1, b: { c: 2, d: 1 } };
    expect(mergeFields(theirs, differences(base, { a: 9, b: { c: 1, d: 7 } }))).toEqual({
      merged: { a: 9, b: { c: 2, d: 7 } },
      collisions: [],
    });
  });
  it('are shown both values when it is the same field, and nothing of the other’s is lost', () => {
    const r = mergeFields({ a: 'theirs' }, differences({ a: 'was' }, { a: 'mine' }));
    expect(r).toEqual({ merged: { a: 'theirs' }, collisions: [{ path: ['a'], before: 'was', mine: 'mine', theirs: 'theirs' }] });
  });
  it('agree when both set the same', () => {
    expect(mergeFields({ a: 2 }, differences({ a: 1 }, { a: 2 }))).toEqual({ merged: { a: 2 }, collisions: [] });
  });
  it('collide when one changes within what the other took away or replaced', () => {
    const base = { pool: { range: 'r1' } };
    expect(mergeFields({} as object, differences(base, { pool: { range: 'r2' } })).collisions).toHaveLength(1);
    expect(mergeFields({ pool: 'none' } as object, differences(base, { pool: { range: 'r2' } })).collisions).toHaveLength(1);
    expect(mergeFields({ pool: { range: 'r3' } } as object, differences(base, {})).collisions).toHaveLength(1);
  });
  it('lose nothing: what either changed stands, or is a collision', () => {
    fc.assert(
      fc.property(doc, doc, doc, (base, mine, theirs) => {
        const { merged, collisions } = mergeFields(theirs, differences(base, mine));
        const told = new Set(collisions.map((c) => c.path.join('.')));
        const at = (v: unknown, path: (string | number)[]) =>
          path.reduce<unknown>(
            (x, k) =>
              x && typeof x === 'object' && !Array.isArray(x) && Object.hasOwn(x, k)
                ? (x as Record<string, unknown>)[k]
                : undefined,
            v,
          );
        for (const c of differences(base, mine))
          expect(told.has(c.path.join('.')) || same(bare(at(merged, c.path)), bare(c.after))).toBe(true);
        for (const c of differences(base, theirs))
          if (
            same(at(base, c.path), at(mine, c.path)) &&
            !differences(base, mine).some(
              (m) => c.path.join('.').startsWith(m.path.join('.')) || m.path.join('.').startsWith(c.path.join('.')),
            )
          )
            expect(same(at(merged, c.path), c.after)).toBe(true);
      }),
      { numRuns: 1000 },
    );
  });
  it('cannot reach what every object has', () => {
    const r = mergeFields({} as Record<string, unknown>, [{ path: ['__proto__', 'role'], after: 'warden' }]);
    expect(({} as Record<string, unknown>).role).toBeUndefined();
    expect(Object.getPrototypeOf(r.merged)).toBe(Object.prototype);
  });
});
