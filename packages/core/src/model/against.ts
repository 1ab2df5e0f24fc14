import type { Doc, Kind } from './documents.ts';
import { type Estate, find, keyOf, sliceOf } from './estate.ts';

/** What a document would do to the estate: be new, change fields, or change nothing. */
export interface Difference {
  kind: Kind;
  key: string;
  what: 'new' | 'changed' | 'same';
  /** Top-level fields that differ, as text; absent values are undefined. */
  fields: { name: string; before: string | undefined; after: string | undefined }[];
}

/** Documents held against the estate as it stands, in the order given. Nothing is changed. */
export function against(estate: Estate, docs: readonly Doc[]): Difference[] {
  const known = new Map<Kind, Map<string, Doc>>();
  const standing = (kind: Kind, key: string) => {
    // A few are looked for as they come; for many the names are written down once.
    if (docs.length < 20) return find(estate, kind, key);
    let byKey = known.get(kind);
    if (!byKey) {
      byKey = new Map((estate[sliceOf[kind]] as Doc[]).map((d) => [keyOf(d), d]));
      known.set(kind, byKey);
    }
    return byKey.get(key);
  };
  return docs.map((doc) => {
    const key = keyOf(doc);
    const before = standing(doc.kind, key) as Record<string, unknown> | undefined;
    const after = doc as unknown as Record<string, unknown>;
    const names = new Set([...Object.keys(before ?? {}), ...Object.keys(after)]);
    const fields = [...names]
      .map((name) => ({ name, before: written(before?.[name]), after: written(after[name]) }))
      .filter((f) => f.before !== f.after);
    return { kind: doc.kind, key, what: before ? (fields.length ? 'changed' : 'same') : 'new', fields };
  });
}

/** A value as text that is the same for the same content, whatever the order of keys. */
function written(value: unknown): string | undefined {
  if (value === undefined) return undefined;
  return typeof value === 'string' ? value : JSON.stringify(value, sorted);
}
const sorted = (_: string, v: unknown) =>
  v !== null && typeof v === 'object' && !Array.isArray(v)
    ? Object.fromEntries(Object.entries(v).sort(([a], [b]) => (a < b ? -1 : 1)))
    : v;
