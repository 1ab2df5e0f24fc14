import { CORE_SCHEMA, load } from 'js-yaml';
import { LineCounter, parseAllDocuments, isMap, isScalar, type Document, stringify } from 'yaml';
import type { z } from 'zod';
import { type Doc, type Kind, kinds } from './documents.ts';
import { nearest } from './nearest.ts';
import { plainly } from './plainly.ts';
import { plainAlias, plainSyntax } from './syntax.ts';

export { plainly };

/** A fault in what a person wrote, with its place. `path` leads into the document. */
export interface Fault {
  file: string;
  line: number;
  column: number;
  path: string;
  code: 'syntax' | 'kind' | 'unknown' | 'value' | 'limit';
  message: string;
}
export interface ReadResult {
  docs: { doc: Doc; file: string; line: number }[];
  faults: Fault[];
}

export const limits = { bytes: 64_000_000, aliases: 100, documents: 100_000, depth: 40 } as const;

/**
 * Reads documents of the estate from YAML or JSON text. All faults are collected, none is thrown;
 * documents with a fault are left out. Aliases are limited, so that a few lines cannot expand to gigabytes.
 */
export function readDocuments(text: string, file = 'input'): ReadResult {
  const faults: Fault[] = [];
  const docs: ReadResult['docs'] = [];
  const fault = (line: number, column: number, path: string, code: Fault['code'], message: string) =>
    faults.push({ file, line, column, path, code, message });
  if (text.length > limits.bytes) {
    fault(1, 1, '', 'limit', `${text.length} characters; at most ${limits.bytes} are read from one file. Split it.`);
    return { docs, faults };
  }
  const many = text.match(/^---/gm)?.length ?? 0;
  if (many > limits.documents) {
    fault(1, 1, '', 'limit', `${many} documents; at most ${limits.documents} are read from one file. Split it.`);
    return { docs, faults };
  }
  const deep = deepest(text);
  if (deep > limits.depth) {
    fault(1, 1, '', 'limit', `nested ${deep} deep; at most ${limits.depth} is accepted`);
    return { docs, faults };
  }
  const quick = text.length > large ? readQuickly(text, file) : undefined;
  if (quick) return { docs: quick, faults };
  const lines = new LineCounter();
  const parsed = parseAllDocuments(text, { lineCounter: lines, uniqueKeys: true, prettyErrors: false });
  if (!Array.isArray(parsed)) return { docs, faults };
  const place = (offset: number) => lines.linePos(offset);
  for (const tree of parsed) {
    // What a mistake leads to on its own line is not told besides.
    const told = new Set<number>();
    for (const e of tree.errors) {
      const p = place(e.pos[0]);
      if (told.has(p.line)) continue;
      told.add(p.line);
      fault(p.line, p.col, '', 'syntax', plainSyntax(e));
    }
    if (tree.errors.length || tree.contents === null) continue;
    const start = place(tree.contents.range[0]);
    if (!isMap(tree.contents)) {
      fault(start.line, start.col, '', 'kind', 'expected a document with apiVersion, kind and fields');
      continue;
    }
    let value: unknown;
    try {
      value = tree.toJS({ maxAliasCount: limits.aliases });
    } catch (e) {
      const alias = plainAlias(e);
      if (alias) fault(start.line, start.col, '', 'syntax', alias);
      else fault(start.line, start.col, '', 'limit', `more than ${limits.aliases} alias expansions; write the values out`);
      continue;
    }
    const kind = (value as { kind?: unknown }).kind;
    const schema = kinds[kind as Kind];
    if (typeof kind !== 'string' || !Object.hasOwn(kinds, kind) || !schema) {
      const p = positionOf(tree, ['kind'], place) ?? start;
      const near = typeof kind === 'string' ? nearest(kind, Object.keys(kinds)) : undefined;
      fault(
        p.line,
        p.col,
        'kind',
        'kind',
        `${kind === undefined ? 'kind is missing' : `unknown kind ${JSON.stringify(kind)}`}${near ? `; did you mean ${near}?` : ''}; kinds are ${Object.keys(kinds).join(', ')}`,
      );
      continue;
    }
    const result = (schema as z.ZodType).safeParse(value);
    if (result.success) {
      docs.push({ doc: result.data as Doc, file, line: start.line });
      continue;
    }
    for (const { path, code, message } of issuesOf(result.error, schema as z.ZodType)) {
      const p = positionOf(tree, path, place) ?? start;
      fault(p.line, p.col, path.join('.'), code, message);
    }
  }
  return { docs, faults };
}

/** Characters from which a text is first read by the quick way. */
const large = 100_000;

/**
 * A large text by a parser that is five times as quick and knows no places; undefined when anything in it is not right, or is
 * written in a way that only the other one judges (aliases, tags): that one reads it all again, and says what is wrong and where.
 */
function readQuickly(text: string, file: string): ReadResult['docs'] | undefined {
  // Anchors, aliases, tags, directives, merge keys and odd numbers are rare in plans, and are where parsers differ.
  if (/(^|[\s[{,:-])[&*!][^\s]|^%|<</m.test(text)) return undefined;
  if (/(?:: |- |\[|, )[-+]?(?:0\d+|0[xob][\da-f_]+|\d[\d_]*_[\d_]*|\.\w+|\d+:\d+(?::\d+)?)[ \t]*(?:#.*)?[,\]}]?$/im.test(text))
    return undefined;
  const out: ReadResult['docs'] = [];
  let line = 1;
  for (const part of text.split(/^---[ \t]*$/m)) {
    let value: unknown;
    try {
      value = load(part, { schema: CORE_SCHEMA });
    } catch {
      return undefined;
    }
    const first = line + (/^(?:[ \t]*(?:#.*)?\n)*/.exec(part)?.[0].match(/\n/g)?.length ?? 0);
    line += part.match(/\n/g)?.length ?? 0;
    if (value === undefined || value === null) continue;
    const kind = (value as { kind?: unknown }).kind;
    if (typeof kind !== 'string' || !Object.hasOwn(kinds, kind)) return undefined;
    const read = (kinds[kind as Kind] as z.ZodType).safeParse(value);
    if (!read.success) return undefined;
    out.push({ doc: read.data as Doc, file, line: first });
  }
  return out;
}

/** Issues of a schema in our words: unknown names say which valid one is nearest. */
export function issuesOf(
  error: z.ZodError,
  schema: z.ZodType,
): { path: (string | number)[]; code: 'unknown' | 'value'; message: string }[] {
  return error.issues.flatMap((issue): { path: (string | number)[]; code: 'unknown' | 'value'; message: string }[] => {
    const path = issue.path as (string | number)[];
    if (issue.code !== 'unrecognized_keys') return [{ path, code: 'value', message: plainly(issue.message) }];
    const valid = keysAt(schema, path);
    return issue.keys.map((key) => ({ path: [...path, key], code: 'unknown', message: unknownField(key, valid) }));
  });
}

/** An unknown field with the valid one it was meant to be, or all that are valid. */
export function unknownField(key: string, valid: readonly string[]): string {
  const near = nearest(key, valid);
  return `unknown field ${key}${near ? `; did you mean ${near}?` : valid.length ? `; fields here are ${valid.join(', ')}` : ''}`;
}

interface Shaped {
  def?: { type?: string; innerType?: Shaped; element?: Shaped; shape?: Record<string, Shaped>; valueType?: Shaped };
}
/** The field names that a schema allows at a path; none where it is not an object there. */
export function keysAt(schema: unknown, path: readonly (string | number)[]): string[] {
  let at = schema as Shaped | undefined;
  const peel = () => {
    while (at?.def?.innerType) at = at.def.innerType;
  };
  peel();
  for (const key of path) {
    at = at?.def?.type === 'array' ? at.def.element : (at?.def?.shape?.[String(key)] ?? at?.def?.valueType);
    peel();
  }
  return Object.keys(at?.def?.shape ?? {});
}

function positionOf(tree: Document.Parsed, path: (string | number)[], place: (o: number) => { line: number; col: number }) {
  for (let length = path.length; length > 0; length--) {
    const parent = length === 1 ? tree.contents : tree.getIn(path.slice(0, length - 1), true);
    const key = path[length - 1];
    if (isMap(parent)) {
      const pair = parent.items.find((item) => String((item.key as { value?: unknown })?.value) === String(key));
      const range = (pair?.key as { range?: [number, number, number] })?.range;
      if (range) return place(range[0]);
    }
    const node = tree.getIn(path.slice(0, length), true) as { range?: [number, number, number] } | undefined;
    if (node?.range) return place(node.range[0]);
  }
  return undefined;
}

/**
 * An upper bound of the nesting, read off brackets, dashes and indentation without building anything: `- - - x` nests
 * three deep on one line, and so does a line that is indented below two others.
 */
function deepest(text: string): number {
  let most = 0;
  let open = 0;
  const columns: number[] = [];
  let start = 0;
  while (start < text.length) {
    let end = text.indexOf('\n', start);
    if (end < 0) end = text.length;
    let i = start;
    // What begins a block: indentation, then any number of dashes and question marks with a blank behind.
    for (;;) {
      while (i < end && (text.charCodeAt(i) === 32 || text.charCodeAt(i) === 9)) i++;
      if (i >= end) break;
      const column = i - start;
      while (columns.length && (columns.at(-1) as number) >= column) columns.pop();
      columns.push(column);
      const c = text.charCodeAt(i);
      const next = text.charCodeAt(i + 1);
      if ((c === 45 || c === 63) && (next === 32 || next === 9)) i += 2;
      else break;
      if (columns.length > most) most = columns.length;
    }
    for (; i < end; i++) {
      const c = text.charCodeAt(i);
      if (c === 91 || c === 123) open++;
      else if (c === 93 || c === 125) open = Math.max(0, open - 1);
      if (open + columns.length > most) most = open + columns.length;
    }
    start = end + 1;
  }
  return most;
}

/**
 * The text with one field of one of its documents set, or taken out for `undefined`; comments and everything else stay
 * as they were written. @throws Error when the text cannot be read
 */
export const setInText = (text: string, document: number, path: readonly (string | number)[], value: unknown): string =>
  setManyInText(text, [{ document, path, value }]);

/** One field of one document of a text, and what it is to be; undefined takes it out. */
export interface TextChange {
  document: number;
  path: readonly (string | number)[];
  value: unknown;
}
/** The same for several fields, in the order given. @throws Error when the text cannot be read */
export function setManyInText(text: string, changes: readonly TextChange[]): string {
  const all = parseAllDocuments(text, { uniqueKeys: true, prettyErrors: false });
  const trees = Array.isArray(all) ? all.filter((t) => t.contents !== null) : [];
  for (const { document, path, value } of changes) {
    const tree = trees[document];
    if (!Array.isArray(all) || !tree || tree.errors.length) throw new Error('the text cannot be read');
    if (value === undefined) {
      if (tree.hasIn(path)) tree.deleteIn(path);
      continue;
    }
    // A plain value is exchanged in its place, with the comment behind it.
    const there = tree.getIn(path, true);
    if (isScalar(there) && (value === null || typeof value !== 'object')) {
      const node = tree.createNode(value);
      if (there.comment) node.comment = there.comment;
      tree.setIn(path, node);
    } else tree.setIn(path, tree.createNode(value, { flow: path.length === 1 && Array.isArray(value) }));
  }
  if (!Array.isArray(all)) return text;
  return all
    .map((t, i) => t.toString({ lineWidth: 0, flowCollectionPadding: false, directives: i > 0 || null, nullStr: '' }))
    .join('');
}

/** The document as YAML, keys in the order of its schema at every depth, so that the same document always gives the same text. */
export function writeDocument(doc: Doc): string {
  const inOrder = (value: unknown, path: (string | number)[]): unknown => {
    if (Array.isArray(value)) return value.map((v, i) => inOrder(v, [...path, i]));
    if (value === null || typeof value !== 'object') return value;
    const given = value as Record<string, unknown>;
    const known = keysAt(kinds[doc.kind], path);
    const keys = [
      ...known,
      ...Object.keys(given)
        .filter((k) => !known.includes(k))
        .sort(),
    ].filter((k) => given[k] !== undefined);
    return Object.fromEntries(keys.map((k) => [k, inOrder(given[k], [...path, k])]));
  };
  return stringify(inOrder(doc, []), { lineWidth: 0, flowCollectionPadding: false });
}
