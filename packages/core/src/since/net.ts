import { type Change, differences, type Kind, kinds, labelOfField } from '../model/index.ts';

/** One act of the record, with the documents that it changed. */
export interface ActOnRecord {
  at: string;
  who: string;
  changes: readonly Change[];
}
/** What became of one document over several acts: from before the first of them to after the last. */
export interface NetChange {
  kind: Kind;
  key: string;
  /** Where it is; none for what belongs to no site. */
  site?: string;
  how: 'declared' | 'removed' | 'changed';
  /** Who changed it, each once, in the order of the acts. */
  who: string[];
  /** The last act. */
  at: string;
  /** Fields in words, with what they were and are; empty for what came or went as a whole. */
  fields: { name: string; was?: string; is?: string }[];
  /** Further fields, which are not told. */
  more: number;
}
/** Fields of one document that are told at the most. */
export const mostFields = 6;

/** Longer values are cut: what is read here is that something changed, and into what. */
const asText = (v: unknown): string => {
  const text = typeof v === 'string' ? v : JSON.stringify(v);
  return text.length > 160 ? `${text.slice(0, 159)}…` : text;
};

/**
 * What changed in the plan, document by document, whatever happened in between: what was changed and changed back, or came
 * and went again, is nothing. Acts in the order in which they were done; what `me` alone changed is left out.
 * Sorted by site, then in the order of kinds, then by name; what belongs to no site comes first.
 */
export function netChanges(acts: readonly ActOnRecord[], me: string): NetChange[] {
  const seen = new Map<string, { first: Change; last: Change; who: Set<string>; at: string }>();
  for (const a of acts)
    for (const c of a.changes) {
      const id = `${c.kind} ${c.key}`;
      const of = seen.get(id);
      if (of) {
        of.last = c;
        of.at = a.at;
        of.who.add(a.who);
      } else seen.set(id, { first: c, last: c, who: new Set([a.who]), at: a.at });
    }
  const out: NetChange[] = [];
  for (const { first, last, who, at } of seen.values()) {
    if (who.size === 1 && who.has(me)) continue;
    const [before, after] = [first.before, last.after];
    const whole = before === null || after === null;
    const fields = whole ? [] : differences(before, after);
    if (whole ? before === after : !fields.length) continue;
    const { kind, key } = last;
    const doc = (after ?? before) as { site?: string };
    const site = kind === 'Site' ? key : doc.site;
    out.push({
      kind,
      key,
      ...(site ? { site } : {}),
      how: before === null ? 'declared' : after === null ? 'removed' : 'changed',
      who: [...who],
      at,
      fields: fields.slice(0, mostFields).map((f) => ({
        name: labelOfField(kind, f.path),
        ...(f.before === undefined ? {} : { was: asText(f.before) }),
        ...(f.after === undefined ? {} : { is: asText(f.after) }),
      })),
      more: Math.max(0, fields.length - mostFields),
    });
  }
  const order = new Map(Object.keys(kinds).map((k, n) => [k, n]));
  const place = (n: NetChange) => order.get(n.kind) ?? 0;
  const byText = (a: string, b: string) => (a < b ? -1 : a > b ? 1 : 0);
  return out.sort((a, b) => byText(a.site ?? '', b.site ?? '') || place(a) - place(b) || byText(a.key, b.key));
}
