import type { ProposedChange } from '@praesidor/contract';
import { against, type Doc, type Edit, type Estate, find, keyOf, same } from '@praesidor/core/model';

export interface Row {
  what: string;
  before: string;
  after: string;
}
const show = (v: unknown): string =>
  v === undefined
    ? '—'
    : typeof v === 'string'
      ? v
      : Array.isArray(v) && v.every((x) => typeof x === 'string')
        ? v.join(', ') || 'none'
        : Array.isArray(v) && v.every(flat)
          ? v.map((x) => entries(x).join(', ')).join('; ')
          : simple(v)
            ? Object.entries(v)
                .map(([k, x]) => `${k} ${typeof x === 'boolean' ? (x ? 'yes' : 'no') : Array.isArray(x) ? x.join(' + ') : x}`)
                .join(', ')
            : JSON.stringify(v);

type Flat = Record<string, string | number | boolean>;
const flat = (v: unknown): v is Flat =>
  !!v && typeof v === 'object' && !Array.isArray(v) && Object.values(v).every((x) => typeof x !== 'object');
/** Values of one kind each, and lists of words. */
const simple = (v: unknown): v is Record<string, unknown> =>
  !!v &&
  typeof v === 'object' &&
  !Array.isArray(v) &&
  Object.values(v).every((x) => typeof x !== 'object' || (Array.isArray(x) && x.every((y) => typeof y === 'string')));
const entries = (v: Flat) => Object.entries(v).map(([k, x]) => `${k} ${x}`);

/** What a document is, in a few words, for when it is new. */
function summary(doc: Doc): string {
  if (doc.kind === 'Record') return `${doc.type} ${doc.value}`;
  if (doc.kind === 'Network')
    return [doc.prefix, doc.gateway && `gateway ${doc.gateway}`, doc.parent && `carved out of ${doc.parent}`]
      .filter(Boolean)
      .join(', ');
  if (doc.kind === 'Reservation') return `${doc.name ?? doc.owner.name}${doc.mac ? `, ${doc.mac}` : ''}`;
  return 'added';
}

/** An edit in rows that a person can read: what, what stands, what will be. */
export function describe(e: Edit, estate: Estate | undefined): Row[] {
  if (e.op === 'drop') return [{ what: `${e.kind} ${e.key}`, before: 'stands', after: 'removed' }];
  if (e.op === 'put') {
    const [d] = estate ? against(estate, [e.doc]) : [];
    const what = `${e.doc.kind} ${keyOf(e.doc)}`;
    if (d?.what !== 'changed') return d?.what === 'same' ? [] : [{ what, before: '—', after: summary(e.doc) }];
    return d.fields.map((f) => ({ what: `${what}, ${f.name}`, before: f.before ?? '—', after: f.after ?? without(e.doc.kind) }));
  }
  const doc = estate && find(estate, e.kind, e.key);
  const before = e.path.reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], doc);
  const what = `${e.kind} ${e.key}, ${pathText(doc, e.path)}`;
  // Of lists, what comes and what goes.
  if (Array.isArray(before) && Array.isArray(e.value) && before.some((x) => typeof x === 'object')) {
    const [goes, comes] = [missing(before, e.value), missing(e.value, before)];
    if (!goes.length && !comes.length && before.length === e.value.length && same(before, e.value)) return [];
    if (goes.length + comes.length)
      return [{ what, before: goes.length ? show(goes) : '—', after: comes.length ? show(comes) : 'removed' }];
  }
  return [{ what, before: show(before), after: e.value === undefined ? without(e.kind) : show(e.value) }];
}
/** A change of a document as it is kept, in the same rows: field by field, or as a whole where it comes or goes. */
export function describeChange(c: Pick<ProposedChange, 'kind' | 'key' | 'what' | 'fields' | 'after' | 'before'>): Row[] {
  const what = `${c.kind} ${c.key}`;
  if (c.what === 'removed') return [{ what, before: 'stands', after: 'removed' }];
  if (c.what === 'added') return [{ what, before: '—', after: summary(c.after as Doc) }];
  return c.fields.map((f) => ({
    what: `${what}, ${pathText(c.before, f.path)}`,
    before: show(f.before),
    after: f.after === undefined ? without(c.kind as Doc['kind']) : show(f.after),
  }));
}
/** What a field is that says nothing: of a charter it follows. */
const without = (kind: Doc['kind']) => (kind === 'Charter' || kind === 'Template' ? 'follows' : 'none');
const missing = (of: readonly unknown[], from: readonly unknown[]): unknown[] => of.filter((x) => !from.some((y) => same(x, y)));
/** A path in words: an element of a list by its name, where it has one. */
function pathText(doc: unknown, path: readonly (string | number)[]): string {
  const out: string[] = [];
  let at = doc;
  for (const key of path) {
    at = (at as Record<string | number, unknown> | undefined)?.[key];
    const name = (at as { name?: unknown } | undefined)?.name;
    if (typeof key === 'number' && typeof name === 'string') out.splice(-1, 1, name);
    else out.push(String(key));
  }
  return out.join('.');
}
