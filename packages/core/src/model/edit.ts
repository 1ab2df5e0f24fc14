import type { Doc, Kind } from './documents.ts';
import { kinds } from './documents.ts';
import { type Estate, keyOf, sliceOf } from './estate.ts';

/** A described change to declared documents: can be shown before it is made, and has an inverse. */
export type Edit =
  | { op: 'set'; kind: Kind; key: string; path: (string | number)[]; value: unknown }
  | { op: 'put'; doc: Doc }
  | { op: 'drop'; kind: Kind; key: string };

type Tree = Record<string | number, unknown>;

/** A copy of `value` in which `path` holds `to`; `undefined` removes the key. Missing objects on the way are made. */
export function setAt<T>(value: T, path: readonly (string | number)[], to: unknown): T {
  const [head, ...rest] = path;
  if (head === undefined) return to as T;
  const copy: Tree = Array.isArray(value) ? ([...value] as unknown as Tree) : { ...(value as Tree) };
  const next = setAt(copy[head] ?? (rest.length ? {} : undefined), rest, to);
  if (next === undefined && !Array.isArray(copy)) delete copy[head];
  else copy[head] = next;
  return copy as T;
}

export const getAt = (value: unknown, path: readonly (string | number)[]): unknown =>
  path.reduce<unknown>((v, key) => (v === null || v === undefined ? undefined : (v as Tree)[key]), value);

/** @throws Error that says where it does not fit, and why */
function fitting(doc: Doc): Doc {
  const read = kinds[doc.kind].safeParse(doc);
  if (read.success) return read.data as Doc;
  const [issue] = read.error.issues;
  throw new Error(`${doc.kind} cannot be taken: ${[issue?.path.join('.'), issue?.message].filter(Boolean).join(': ')}`);
}

/** The document after the edit, validated; throws where no such document stands or the result does not fit its schema. */
export function editDoc(edit: Edit, before: Doc | undefined): Doc | undefined {
  if (edit.op === 'drop') return undefined;
  if (edit.op === 'put') return fitting(edit.doc);
  if (!before) throw new Error(`there is no ${edit.kind} ${edit.key}`);
  return fitting(setAt(before, edit.path, edit.value));
}

/** The estate after the edits. The estate given is not changed. */
export function applyEdits(estate: Estate, edits: readonly Edit[]): Estate {
  // By key, in their order: what is changed stays where it is, what is new comes last.
  const lists = new Map<Kind, Map<string, Doc>>();
  for (const edit of edits) {
    const kind = edit.op === 'put' ? edit.doc.kind : edit.kind;
    const key = edit.op === 'put' ? keyOf(edit.doc) : edit.key;
    const docs = lists.get(kind) ?? new Map((estate[sliceOf[kind]] as Doc[]).map((d) => [keyOf(d), d]));
    lists.set(kind, docs);
    const after = editDoc(edit, docs.get(key));
    if (after) docs.set(key, after);
    else docs.delete(key);
  }
  return { ...estate, ...Object.fromEntries([...lists].map(([kind, docs]) => [sliceOf[kind], [...docs.values()]])) };
}
