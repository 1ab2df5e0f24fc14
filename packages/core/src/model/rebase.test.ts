import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Change } from './difference.ts';
import type { Doc } from './documents.ts';
import { combined, decided, doingOf, type Rebased, rebase } from './rebase.ts';

/** Documents with as many fields as are looked at here; what they mean is not looked at. */
const net = (more: object) => ({ apiVersion: 'praesidor/v1', kind: 'Network', name: 'n', ...more }) as unknown as Doc;
const change = (before: Doc | null, after: Doc | null): Change => ({ kind: 'Network', key: 'n', before, after });
const over = (c: Change, now: Doc | null) => rebase([c], () => now);
const first = (list: Rebased[]) => list[0] as Rebased;

describe('a set of changes, in what stands now', () => {
  it('keeps what others changed beside it', () => {
    const c = change(net({ mtu: 1500 }), net({ mtu: 9000 }));
    expect(over(c, net({ mtu: 1500, gateway: 'g' }))).toEqual([
      {
        kind: 'Network',
        key: 'n',
        before: net({ mtu: 1500, gateway: 'g' }),
        after: net({ mtu: 9000, gateway: 'g' }),
        collisions: [],
      },
    ]);
  });
  it('tells what two set to different values, with all three, and leaves it as it stands', () => {
    const c = change(net({ mtu: 1500, vlan: 1 }), net({ mtu: 9000, vlan: 2 }));
    const r = first(over(c, net({ mtu: 4000, vlan: 1 })));
    expect(r.collisions).toEqual([{ path: ['mtu'], before: 1500, mine: 9000, theirs: 4000 }]);
    expect(r.after).toEqual(net({ mtu: 4000, vlan: 2 }));
  });
  it('leaves out what stands as wanted already', () => {
    expect(over(change(net({ mtu: 1500 }), net({ mtu: 9000 })), net({ mtu: 9000 }))).toEqual([]);
    expect(over(change(null, net({})), net({}))).toEqual([]);
    expect(over(change(net({}), null), null)).toEqual([]);
  });
  it.each([
    ['added, while somebody declared another', null, net({ mtu: 1 }), net({ mtu: 2 })],
    ['changed, while somebody deleted it', net({ mtu: 1 }), net({ mtu: 2 }), null],
    ['removed, while somebody changed it', net({ mtu: 1 }), null, net({ mtu: 2 })],
  ])('collides as a whole with a document that is %s', (_, before, after, now) => {
    const r = first(over(change(before, after), now));
    expect(r.collisions.map((c) => c.path)).toEqual([[]]);
    expect([r.before, r.after]).toEqual([now, now]);
    // Kept: it is made over what stands now. Left: nothing of it is left in the set.
    const about = { kind: 'Network' as const, key: 'n', path: [] };
    expect(first(over(decided([change(before, after)], about, 'mine', now)[0] as Change, now))).toMatchObject({
      before: now,
      after,
      collisions: [],
    });
    expect(decided([change(before, after)], about, 'theirs', now)).toEqual([]);
  });
  it('is what it was where nothing moved, and both orders of two sets of different fields end the same', () => {
    const fields = fc.dictionary(fc.constantFrom('a', 'b', 'c', 'd'), fc.integer({ min: 0, max: 9 }), { maxKeys: 4 });
    fc.assert(
      fc.property(fields, fields, fields, (base, one, two) => {
        const [b, x] = [net(base), net({ ...base, ...one })];
        const still = over(change(b, x), b);
        expect(still.map((r) => [r.after, r.collisions])).toEqual(
          doingOf([change(b, x)]) === doingOf([change(b, b)]) ? [] : [[x, []]],
        );
        const apart = Object.fromEntries(Object.entries(two).filter(([k]) => !(k in one)));
        const y = net({ ...base, ...apart });
        const oneFirst = over(change(b, y), x)[0]?.after ?? x;
        const twoFirst = over(change(b, x), y)[0]?.after ?? y;
        expect(oneFirst).toEqual(twoFirst);
      }),
    );
  });
});

describe('a collision that is decided', () => {
  const c = change(net({ mtu: 1500, vlan: 1 }), net({ mtu: 9000, vlan: 2 }));
  const now = net({ mtu: 4000, vlan: 7 });
  const at = (path: string) => ({ kind: 'Network' as const, key: 'n', path: [path] });
  it('for the set is made over what stands; the other one stays to be decided', () => {
    const r = first(over(decided([c], at('mtu'), 'mine', now)[0] as Change, now));
    expect(r.after).toEqual(net({ mtu: 9000, vlan: 7 }));
    expect(r.collisions).toEqual([{ path: ['vlan'], before: 1, mine: 2, theirs: 7 }]);
  });
  it('for what stands is taken out of the set', () => {
    const r = first(over(decided([c], at('mtu'), 'theirs', now)[0] as Change, now));
    expect([r.after, r.collisions.map((x) => x.path)]).toEqual([net({ mtu: 4000, vlan: 7 }), [['vlan']]]);
  });
  it('for what stands, of the last field, leaves nothing', () => {
    const one = change(net({ mtu: 1500 }), net({ mtu: 9000 }));
    expect(decided([one], at('mtu'), 'theirs', net({ mtu: 4000 }))).toEqual([]);
  });
  it('that there is not changes nothing', () => {
    expect(decided([c], at('gateway'), 'mine', now)).toEqual([c]);
    expect(decided([c], { ...at('mtu'), key: 'other' }, 'mine', now)).toEqual([c]);
  });
});

describe('what a set does', () => {
  const a = change(net({ mtu: 1500 }), net({ mtu: 9000 }));
  it('is the same text whatever the order of documents and keys, and whatever else stands in them', () => {
    const other = { ...change(null, net({ x: { p: 1, q: 2 } })), key: 'm' };
    const turned = { ...change(null, net({ x: { q: 2, p: 1 } })), key: 'm' };
    expect(doingOf([a, other])).toBe(doingOf([turned, a]));
    expect(doingOf(over(a, net({ mtu: 1500, gateway: 'g' })))).toBe(doingOf([a]));
  });
  it.each([
    ['another value', change(net({ mtu: 1500 }), net({ mtu: 9001 }))],
    ['another value before', change(net({ mtu: 1400 }), net({ mtu: 9000 }))],
    ['one more field', change(net({ mtu: 1500 }), net({ mtu: 9000, vlan: 1 }))],
    ['another document', { ...a, key: 'm' }],
    ['a document that goes', change(net({ mtu: 1500 }), null)],
  ])('is another text with %s', (_, c) => {
    expect(doingOf([c])).not.toBe(doingOf([a]));
  });
});

describe('a change that is put into a set', () => {
  const inSet: Rebased = { ...change(net({ mtu: 1500 }), net({ mtu: 9000 })), collisions: [] };
  it('of another field of the same document is beside what is there', () => {
    expect(combined(inSet, change(net({ mtu: 1500 }), net({ mtu: 1500, vlan: 4 })))).toEqual({
      change: change(net({ mtu: 1500 }), net({ mtu: 9000, vlan: 4 })),
    });
  });
  it('that wants the same changes nothing; one that wants it otherwise is told', () => {
    expect(combined(inSet, change(net({ mtu: 1500 }), net({ mtu: 9000 })))).toEqual({
      change: change(net({ mtu: 1500 }), net({ mtu: 9000 })),
    });
    expect(combined(inSet, change(net({ mtu: 1500 }), net({ mtu: 8000 })))).toEqual({
      collisions: [{ path: ['mtu'], before: 1500, mine: 8000, theirs: 9000 }],
    });
  });
  it('that removes what the set changes is told', () => {
    expect(combined(inSet, change(net({ mtu: 1500 }), null))).toEqual({
      collisions: [{ path: [], theirs: net({ mtu: 9000 }) }],
    });
  });
});
