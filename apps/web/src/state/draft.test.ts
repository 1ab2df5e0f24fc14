import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { mergeFields } from '@praesidor/core/model';
import { baseOf, collisionsOf, decided, differs, edited, shown } from './draft.ts';

const began = { name: 'lapwing', mtu: 1500, api: { name: 'api.lw.example', port: 6443 }, addons: ['a'] };
const now = { version: 3, at: '2026-11-27T09:00:00Z' };
const mine = edited(began, undefined, { ...began, mtu: 9000, api: { ...began.api, port: 8443 } }, now);

describe('a draft', () => {
  it('holds only what differs, with what was found', () => {
    expect(mine).toEqual({
      version: 3,
      since: '2026-11-27T09:00:00Z',
      changes: [
        { path: ['api', 'port'], before: 6443, after: 8443 },
        { path: ['mtu'], before: 1500, after: 9000 },
      ],
    });
  });
  it('lets through what others save beside it', () => {
    const standing = { ...began, addons: ['a', 'b'], api: { ...began.api, name: 'api.example' } };
    expect(shown(standing, mine)).toEqual({ ...standing, mtu: 9000, api: { name: 'api.example', port: 8443 } });
    expect(collisionsOf(standing, mine)).toEqual([]);
  });
  it('shows a field that another has set too, with all three values', () => {
    expect(collisionsOf({ ...began, mtu: 1400 }, mine)).toEqual([{ path: ['mtu'], before: 1500, mine: 9000, theirs: 1400 }]);
  });
  it('remembers what was found when the field is edited again after another has set it', () => {
    const standing = { ...began, mtu: 1400 };
    const again = edited(standing, mine, { ...shown(standing, mine), mtu: 8900 }, { version: 4, at: 'later' });
    expect(again).toMatchObject({
      version: 3,
      changes: [{ path: ['api', 'port'] }, { path: ['mtu'], before: 1500, after: 8900 }],
    });
    expect(collisionsOf(standing, again)).toHaveLength(1);
  });
  it('goes when its last difference goes', () => {
    expect(edited(began, mine, began, now)).toBeUndefined();
    expect(differs(began, mine)).toBe(true);
    // Another saved just what was wanted: nothing is left to save.
    expect(differs(shown(began, mine), mine)).toBe(false);
  });
  it('begins anew from what stands where what was wanted stands by now: saved, and nobody heard it', () => {
    const saved = shown(began, mine);
    const again = edited(saved, mine, { ...saved, mtu: 8900 }, { version: 7, at: 'later' });
    expect(again).toEqual({ changes: [{ path: ['mtu'], before: 9000, after: 8900 }], version: 7, since: 'later' });
    expect(collisionsOf(saved, again)).toEqual([]);
    // One of two stands: the other is still as it was found.
    const half = edited({ ...began, mtu: 9000 }, mine, { ...saved, mtu: 8900 }, { version: 7, at: 'later' });
    expect(half).toMatchObject({
      version: mine?.version,
      changes: expect.arrayContaining([{ path: ['mtu'], before: 9000, after: 8900 }]),
    });
  });
  it.each([
    ['mine', 9000, 1],
    ['theirs', 1400, 0],
  ] as const)('with %s chosen, %i is what would be saved', (whose, mtu, more) => {
    const standing = { ...began, mtu: 1400 };
    const [c] = collisionsOf(standing, mine);
    const next = decided(mine as NonNullable<typeof mine>, c as NonNullable<typeof c>, whose);
    expect(collisionsOf(standing, next)).toEqual([]);
    expect(shown(standing, next).mtu).toBe(mtu);
    expect(next?.changes).toHaveLength(1 + more);
  });
  it('sent with its base is what the server merges: property', () => {
    const tree = fc.dictionary(
      fc.constantFrom('a', 'b', 'c'),
      fc.oneof(fc.integer({ max: 3 }), fc.array(fc.integer({ max: 2 }), { maxLength: 2 })),
    );
    fc.assert(
      fc.property(tree, tree, tree, (start, wanted, theirs) => {
        const draft = edited(start, undefined, wanted, now);
        if (!draft) return;
        // The server computes the differences of base and document anew, and must come to the same.
        const doc = shown(theirs, draft);
        const server = edited(baseOf(theirs, draft), undefined, doc, now);
        const sent = mergeFields(theirs, server?.changes ?? []);
        expect(sent.collisions.map((c) => c.path)).toEqual(collisionsOf(theirs, draft).map((c) => c.path));
        if (!sent.collisions.length) expect(sent.merged).toEqual(doc);
      }),
    );
  });
});
