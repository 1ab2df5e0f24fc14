import { parseAllDocuments } from 'yaml';
import { kinds, type Kind, type Doc } from '../documents.ts';
import { type Estate, sliceOf } from '../estate.ts';
import { getAt } from '../edit.ts';
import { setManyInText, type TextChange } from '../read.ts';
import { fieldWords } from './catalogue.ts';
import { followed, followsFor } from './follows.ts';

export type RawDocument = Record<string, unknown>;

/**
 * The documents of a text as values, before anything is held against a schema; undefined where the text is no YAML yet. What is
 * not a document with fields is left out.
 */
export function rawDocuments(text: string): RawDocument[] | undefined {
  const all = parseAllDocuments(text, { uniqueKeys: true, prettyErrors: false });
  if (!Array.isArray(all)) return [];
  if (all.some((t) => t.errors.length)) return undefined;
  return all.flatMap((t) => {
    const value: unknown = t.contents === null ? undefined : t.toJS({ maxAliasCount: 100 });
    return value !== null && typeof value === 'object' && !Array.isArray(value) ? [value as RawDocument] : [];
  });
}

/**
 * The text after a field of one of its documents was set in a form: with what follows from it, in that document and in the others,
 * and with the other documents calling it by its new name where it was its name that changed. Comments stay.
 *
 * @param value undefined takes the field out
 * @throws Error when the text cannot be read
 */
export function editText(
  text: string,
  estate: Estate,
  document: number,
  path: readonly (string | number)[],
  value: unknown,
): string {
  const before = rawDocuments(text);
  if (!before?.[document]) throw new Error('the text cannot be read');
  const changes: TextChange[] = [{ document, path, value }];
  const now = before.map((d, i) => (i === document ? withAt(d, path, value) : d));
  const own = now[document] as RawDocument;
  const set = (i: number, field: string, to: unknown) => {
    changes.push({ document: i, path: [field], value: to });
    now[i] = { ...now[i], [field]: to };
  };
  const [typed] = path.length === 1 ? path : [];
  const follow = (i: number, was: RawDocument, field?: string) => {
    const doc = now[i] as RawDocument;
    if (!isKind(doc.kind)) return;
    const around = withRaw(estate, now);
    // What followed before is judged by what stood around it then.
    const then = withRaw(estate, before);
    const old = followsFor(doc.kind, was, then);
    for (const [f, v] of Object.entries(followed(doc.kind, was, doc, around, field, old))) set(i, f, v);
  };
  follow(document, before[document] as RawDocument, typed as string | undefined);
  // One name in all of the text: what called the document by its old name calls it by the new one.
  const [old, fresh] = [before[document]?.name, now[document]?.name];
  if (isKind(own.kind) && typeof old === 'string' && old && typeof fresh === 'string' && old !== fresh)
    for (const [i, doc] of now.entries()) {
      if (i === document || !isKind(doc.kind)) continue;
      const owner = doc.owner as { kind?: string; name?: string } | undefined;
      if (doc.kind === 'Reservation' && owner?.kind === own.kind.toLowerCase() && owner.name === old)
        set(i, 'owner', { ...owner, name: fresh });
      for (const [field, words] of Object.entries(fieldWords[doc.kind]))
        if (words.refers && 'kind' in words.refers && words.refers.kind === own.kind && getAt(doc, [field]) === old)
          set(i, field, fresh);
    }
  for (const i of now.keys()) if (i !== document) follow(i, before[i] as RawDocument);
  return setManyInText(text, changes);
}

const isKind = (kind: unknown): kind is Kind => typeof kind === 'string' && Object.hasOwn(kinds, kind);

function withAt(value: unknown, path: readonly (string | number)[], to: unknown): RawDocument {
  const [head, ...rest] = path;
  if (head === undefined) return to as RawDocument;
  const copy = (Array.isArray(value) ? [...value] : { ...(value as object) }) as unknown as RawDocument;
  copy[head as string] = rest.length ? withAt(copy[head as string] ?? (typeof rest[0] === 'number' ? [] : {}), rest, to) : to;
  return copy;
}

/** The estate with documents as far as they are typed: enough for what follows from them and for what they can refer to. */
export function withRaw(estate: Estate, docs: readonly RawDocument[]): Estate {
  const out = { ...estate };
  for (const d of docs) {
    if (!isKind(d.kind) || typeof d.name !== 'string') continue;
    const slice = sliceOf[d.kind];
    const doc = (d.kind === 'Site' ? { domain: '', resolvers: [], ...clean(d) } : d) as unknown as Doc;
    (out[slice] as Doc[]) = [...(out[slice] as Doc[]).filter((x) => (x as { name?: string }).name !== d.name), doc];
  }
  return out;
}
const clean = (d: RawDocument) => Object.fromEntries(Object.entries(d).filter(([, v]) => v !== null && v !== undefined));
