import { type Change, type Collision, differences, type FieldChange, mergeFields, same, withFields } from './difference.ts';
import type { Doc, Kind } from './documents.ts';

/** A change as it would be made in what stands now. */
export interface Rebased extends Change {
  /** What somebody else set to another value since. While there is one, the change is not made. */
  collisions: Collision[];
}

/**
 * The changes of a set that was begun some time ago, in what stands now: those of others are kept, what stands already as wanted
 * is left out, and what two set to different values is told. A document that came, went, or was changed and was to go collides
 * as a whole: its path is empty.
 *
 * @example the set wants mtu 9000 where 1500 stood; meanwhile somebody gave the network a gateway: both are kept
 */
export function rebase(changes: readonly Change[], standing: (kind: Kind, key: string) => Doc | null): Rebased[] {
  return changes.flatMap((c) => {
    const now = standing(c.kind, c.key);
    const one = onto(c, now);
    return one.collisions.length || !same(one.before, one.after) ? [one] : [];
  });
}

function onto(c: Change, now: Doc | null): Rebased {
  const ref = { kind: c.kind, key: c.key };
  const whole = (): Rebased => ({
    ...ref,
    before: now,
    after: now,
    collisions: [
      {
        path: [],
        ...(c.before ? { before: c.before } : {}),
        ...(c.after ? { mine: c.after } : {}),
        ...(now ? { theirs: now } : {}),
      },
    ],
  });
  if (same(now, c.after)) return { ...ref, before: now, after: now, collisions: [] };
  if (!c.before) return now ? whole() : { ...ref, before: null, after: c.after, collisions: [] };
  if (!now) return whole();
  if (!c.after) return same(now, c.before) ? { ...ref, before: now, after: null, collisions: [] } : whole();
  const { merged, collisions } = mergeFields(now, differences(c.before, c.after));
  return { ...ref, before: now, after: merged, collisions };
}

/**
 * A set in which one collision is decided: `mine` keeps what the set wants, over what stands now; `theirs` leaves what stands. A
 * change of which nothing is left is no longer in it.
 */
export function decided(
  changes: readonly Change[],
  about: { kind: Kind; key: string; path: readonly (string | number)[] },
  whose: 'mine' | 'theirs',
  now: Doc | null,
): Change[] {
  return changes.flatMap((c) => {
    if (c.kind !== about.kind || c.key !== about.key) return [c];
    if (!about.path.length) return whose === 'mine' ? [{ ...c, before: now }] : [];
    if (!c.before || !c.after) return [c];
    const wanted = differences(c.before, c.after);
    const field = wanted.find((f) => same(f.path, about.path));
    const [collision] = mergeFields(now ?? c.before, field ? [field] : []).collisions;
    if (!collision) return [c];
    const theirs: FieldChange = { path: collision.path, ...('theirs' in collision ? { after: collision.theirs } : {}) };
    const before = withFields(c.before, [theirs], 'after');
    const after = whose === 'mine' ? withFields(before, wanted, 'after') : withFields(c.after, [theirs], 'after');
    return same(before, after) ? [] : [{ ...c, before, after }];
  });
}

/**
 * What a set does, and nothing else, in one text that is the same for the same doing: what somebody approves. Where others
 * changed something else meanwhile, it stays the same.
 */
export const doingOf = (changes: readonly Change[]): string =>
  JSON.stringify(
    [...changes]
      .sort((a, b) => (`${a.kind} ${a.key}` < `${b.kind} ${b.key}` ? -1 : 1))
      .map(({ kind, key, before, after }) => [
        kind,
        key,
        before ? (after ? 'changes' : 'goes') : 'comes',
        differences(before, after).map((f) => [f.path, sorted(f.before) ?? null, sorted(f.after) ?? null]),
      ]),
  );
/** The same value with the keys of its objects in one order. */
const sorted = (v: unknown): unknown =>
  Array.isArray(v)
    ? v.map(sorted)
    : v && typeof v === 'object'
      ? Object.fromEntries(
          Object.entries(v)
            .filter(([, x]) => x !== undefined)
            .sort(([a], [b]) => (a < b ? -1 : 1))
            .map(([k, x]) => [k, sorted(x)]),
        )
      : v;

/**
 * A change put into a set that has one of the same document already: both are in it. `change` was made over what stands, as the
 * one in the set was; what they set to different values is told, and the set stays as it was.
 */
export function combined(inSet: Rebased, change: Change): { change: Change } | { collisions: Collision[] } {
  const ref = { kind: change.kind, key: change.key, before: inSet.before };
  const all = (): Collision[] => [
    { path: [], ...(inSet.after ? { theirs: inSet.after } : {}), ...(change.after ? { mine: change.after } : {}) },
  ];
  if (inSet.collisions.length) return { collisions: inSet.collisions };
  if (same(inSet.after, change.after)) return { change: { ...ref, after: change.after } };
  if (!inSet.after || !change.after) return { collisions: all() };
  const { merged, collisions } = mergeFields(inSet.after, differences(inSet.before, change.after));
  return collisions.length ? { collisions } : { change: { ...ref, after: merged } };
}
