import { type Change, differences, type FieldChange, same, withFields } from '../model/difference.ts';
import type { Doc, Host } from '../model/documents.ts';
import { keyOf } from '../model/estate.ts';
import { rebase } from '../model/rebase.ts';
import { isOfSites, nameOf } from './part.ts';

/** Documents by what names them, as they stood at a time. */
export type Known = ReadonlyMap<string, Doc>;
export const knownOf = (docs: Iterable<Doc>): Known => new Map([...docs].map((d) => [nameOf(d), d]));

/** A bundle as far as it tells what both installations have had. */
export interface Exchanged {
  number: number;
  /** The last bundle of its receiver that its maker had taken in when it was made. */
  taken: number;
  documents: Known;
}

/**
 * The latest state that both installations are known to have had, against which the next bundle of the other one is held: what they sent last, where its
 * maker knew what was sent from here; otherwise what was sent from here, with what was taken in since.
 *
 * @param from the last bundle of the other one that was taken in here
 * @param to the last bundle from here that the other one says to have taken in, brought forward (`broughtForward`) by every one that was taken in since
 */
export const commonState = (from: Exchanged | undefined, to: Exchanged | undefined): Known | undefined =>
  from && to && from.taken < to.number ? to.documents : (from ?? to)?.documents;

/**
 * What was sent from here, with what comes in now, whose maker does not know it: what both have had once the other one has taken it in too.
 * Where these two set a field to different values, it has the one from before: whatever is decided there and here is a change of each.
 *
 * @param sent what was sent, brought forward by what was taken in before
 * @param common the state that what comes in is held against
 * @param coming all documents of what comes in
 */
export function broughtForward(sent: Known, common: Known | undefined, coming: Known): Known {
  const names = new Set([...(common?.keys() ?? []), ...coming.keys()]);
  const news = [...names].map((name): Change => {
    const [before, after] = [common?.get(name) ?? null, coming.get(name) ?? null];
    const doc = (after ?? before) as Doc;
    return { kind: doc.kind, key: keyOf(doc), before, after };
  });
  const out = new Map(sent);
  for (const c of rebase(news, (kind, key) => sent.get(`${kind} ${key}`) ?? null)) {
    const name = `${c.kind} ${c.key}`;
    const whole = c.collisions.some((x) => !x.path.length);
    const fields = c.collisions.map(
      ({ path, before }): FieldChange => ({ path, ...(before === undefined ? {} : { after: before }) }),
    );
    const doc = whole ? (common?.get(name) ?? null) : c.after && withFields(c.after, fields, 'after');
    if (doc) out.set(name, doc);
    else out.delete(name);
  }
  return out;
}

/**
 * What the documents of another installation change here: against what both have had, field by field. What they have otherwise since is
 * their change; what is otherwise here alone is ours and stays. Held against what stands by `rebase`, which tells what both changed. What
 * was read of a machine is taken where it is newer: it is nobody's edit.
 *
 * @param theirs all documents of the part, as it stands there
 * @param common what both have had (`commonState`); undefined: nothing is known, and nothing that is otherwise is overwritten
 * @param standing a document as it stands here
 * @param sites the sites that travel: a document of these that is not there any more is a change too
 *
 * @example both had mtu 1500; there it is 9000 by now, here a gateway was set: the change is mtu 1500 → 9000
 */
export function comingIn(
  theirs: readonly Doc[],
  common: Known | undefined,
  standing: (kind: Doc['kind'], key: string) => Doc | null,
  sites: readonly string[],
): Change[] {
  const there = new Set(theirs.map(nameOf));
  const had = [...(common?.values() ?? [])];
  const travels = isOfSites(had, sites);
  const gone = had.filter((d) => !there.has(nameOf(d)) && travels(d) && standing(d.kind, keyOf(d)));
  return [
    ...theirs.flatMap((doc): Change[] => {
      const key = keyOf(doc);
      const here = standing(doc.kind, key);
      const after = withNewerFacts(doc, here);
      const known = common?.get(nameOf(doc));
      const before = known ? withFactsOf(known, here) : here && unknownBefore(after, here);
      return same(before, after) ? [] : [{ kind: doc.kind, key, before, after }];
    }),
    ...gone.map((doc): Change => {
      const key = keyOf(doc);
      return { kind: doc.kind, key, before: withFactsOf(doc, standing(doc.kind, key)), after: null };
    }),
  ];
}

/** Nothing is known of what both had: whatever is otherwise here and there is nobody's to overwrite. */
const unknownBefore = (after: Doc, here: Doc): Doc =>
  withFields(
    after,
    differences(here, after).map(({ path }) => ({ path })),
    'before',
  );

const factsAt = (doc: Doc | null): string => (doc?.kind === 'Host' ? (doc.facts?.at ?? '') : '');
const withNewerFacts = (doc: Doc, here: Doc | null): Doc =>
  doc.kind === 'Host' && here && factsAt(here) >= factsAt(doc) ? withFactsOf(doc, here) : doc;
function withFactsOf(doc: Doc, here: Doc | null): Doc {
  if (doc.kind !== 'Host' || here?.kind !== 'Host') return doc;
  const { facts: _, ...rest } = doc;
  return (here.facts ? { ...rest, facts: here.facts } : rest) as Host;
}
