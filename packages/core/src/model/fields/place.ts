import type { Kind } from '../documents.ts';
import { kinds } from '../documents.ts';
import type { Estate } from '../estate.ts';
import { optionsFor } from './options.ts';
import { type Shape, shapeOf } from './shape.ts';

/** Where somebody is in a text of documents: the field whose name or value is being written. */
export interface Place {
  kind: Kind;
  /** Fields from the document on; a number for an element of a list. */
  path: (string | number)[];
  /** Whether the name of a field is being written there, or its value. */
  at: 'name' | 'value';
  /** What is written of it so far, and where that begins. */
  typed: string;
  from: number;
  /** Names of the fields that stand beside it already. */
  beside: string[];
}

const keyAt = /^(\s*)((?:- +)*)([A-Za-z][A-Za-z0-9]*):(?:\s|$)/;

/**
 * Where a position is in a text of documents, as far as it is written: the text may be broken elsewhere. Undefined where no kind is known.
 *
 * @param offset characters from the beginning
 */
export function placeIn(text: string, offset: number): Place | undefined {
  const before = text.slice(0, offset);
  const start = Math.max(0, before.lastIndexOf('\n---\n') + 1);
  const end = text.indexOf('\n---\n', offset);
  const whole = text.slice(start, end < 0 ? undefined : end);
  const kind = /^kind:\s*([A-Za-z]+)\s*$/m.exec(whole)?.[1];
  if (!kind || !Object.hasOwn(kinds, kind)) return undefined;
  const lines = text.slice(start, offset).split('\n');
  const line = lines.pop() ?? '';
  const flow = flowPlace(line);
  const own = keyAt.exec(line);
  // The value of a field of this line, or in what is opened there.
  const inLine = flow?.path ?? (own && own[0].length <= line.length && /:\s/.test(line) ? [own[3] as string] : []);
  const typedName = /(?:^|[\s{,-])([A-Za-z0-9]*)$/.exec(line)?.[1] ?? '';
  const at = flow ? flow.at : inLine.length ? 'value' : 'name';
  const typed = at === 'name' ? typedName : (/([^\s,[{]*)$/.exec(line)?.[1] ?? '');
  const indent = columnOf(line);
  const path = [...pathAbove(lines, indent, /^\s*- /.test(line)), ...inLine];
  const beside = flow ? flow.beside : besides(whole, lines.length, indent);
  return { kind: kind as Kind, path, at, typed, from: offset - typed.length, beside };
}

/** The column at which a name begins on a line, behind its dashes. */
const columnOf = (line: string): number => /^\s*(?:- +)*/.exec(line)?.[0].length ?? 0;

/** The fields that a line at a column is within, by the lines above it. */
function pathAbove(lines: readonly string[], column: number, begins: boolean): (string | number)[] {
  const out: (string | number)[] = [];
  let within = column;
  let element = begins ? 0 : undefined;
  let dashAt = begins ? -1 : undefined;
  for (let i = lines.length - 1; i >= 0; i--) {
    const text = lines[i] as string;
    if (!text.trim() || /^\s*#/.test(text)) continue;
    const m = keyAt.exec(text);
    const dash = /^(\s*)- /.exec(text);
    const dashColumn = dash?.[1]?.length;
    if (dash && dashColumn !== undefined && element === undefined && dashColumn < within && columnOf(text) <= within) {
      element = 0;
      dashAt = dashColumn;
      within = dashColumn + 1;
      continue;
    }
    if (dash && dashAt !== undefined && element !== undefined && (dashAt < 0 || dashColumn === dashAt)) {
      element++;
      continue;
    }
    if (m && !dash && columnOf(text) < within) {
      if (element !== undefined) out.unshift(element);
      element = undefined;
      dashAt = undefined;
      out.unshift(m[3] as string);
      within = columnOf(text);
      if (within === 0) break;
    }
  }
  return out;
}

/** Within braces and brackets of a line: which fields lead there, and which stand beside. */
function flowPlace(line: string): { path: (string | number)[]; at: 'name' | 'value'; beside: string[] } | undefined {
  const open: { path: (string | number)[]; list: boolean; beside: string[]; element: number }[] = [];
  let key: string | undefined;
  let token = '';
  for (const c of line) {
    const top = open.at(-1);
    if (c === '{' || c === '[') {
      const list = c === '[';
      const base = top ? [...top.path, ...(top.list ? [top.element] : []), ...(key ? [key] : [])] : key ? [key] : [];
      open.push({ path: base, list, beside: [], element: 0 });
      key = undefined;
      token = '';
    } else if (c === '}' || c === ']') {
      open.pop();
      key = undefined;
      token = '';
    } else if (c === ',') {
      if (top?.list) top.element++;
      key = undefined;
      token = '';
    } else if (c === ':') {
      key = token.trim().replace(/^(- +)+/, '');
      top?.beside.push(key);
      token = '';
    } else token += c;
  }
  const top = open.at(-1);
  if (!top) return undefined;
  const here = [...top.path, ...(top.list ? [top.element] : []), ...(key ? [key] : [])];
  return { path: here, at: key || top.list ? 'value' : 'name', beside: top.beside };
}

/** Names of fields at the same column, up and down from a line, as far as they belong together. */
function besides(text: string, at: number, column: number): string[] {
  const lines = text.split('\n');
  const out: string[] = [];
  for (const step of [-1, 1])
    for (let i = at + step; i >= 0 && i < lines.length; i += step) {
      const l = lines[i] as string;
      if (!l.trim() || /^\s*#/.test(l)) continue;
      const here = columnOf(l);
      if (here < column) break;
      const m = keyAt.exec(l);
      if (here === column && m) out.push(m[3] as string);
      // An element of a list begins with its dash: what is above belongs to another.
      if (here === column && /^\s*- /.test(l)) break;
    }
  return out;
}

/** The field at a path, and those that can stand within it. */
export function shapeAt(kind: Kind, path: readonly (string | number)[]): { field?: Shape; fields: readonly Shape[] } {
  let fields: readonly Shape[] = shapeOf(kind);
  let field: Shape | undefined;
  for (const step of path) {
    if (typeof step === 'number') continue;
    field = fields.find((f) => f.key === step);
    if (!field) return { fields: [] };
    fields = field.fields ?? [];
  }
  return { ...(field ? { field } : {}), fields };
}

/** Something that can be written at a place, and what it is. */
export interface Offer {
  text: string;
  about: string;
}

/** What can be written at a place: names of fields that do not stand there yet, or values that a field can have. */
export function offersAt(place: Place, estate: Estate | undefined, doc: Readonly<Record<string, unknown>> = {}): Offer[] {
  const { field, fields } = shapeAt(place.kind, place.path);
  if (place.at === 'name')
    return fields
      .filter((f) => !place.beside.includes(f.key) && f.words.by === undefined)
      .map((f) => ({ text: f.key, about: [f.words.label, f.words.help].filter(Boolean).join('. ') }));
  if (!field) return [];
  if (field.type === 'yes-no') return ['true', 'false'].map((text) => ({ text, about: '' }));
  if (field.options) return field.options.map((text) => ({ text, about: field.words.choices?.[text] ?? '' }));
  if (field.words.refers && estate)
    return optionsFor(field.words.refers, estate, { ...doc, kind: place.kind }).map((text) => ({
      text,
      about: field.words.label,
    }));
  return [];
}

/** What somebody reads about a field: its name, unit, what it is for, and what it has when it is not set. */
export const aboutField = (f: Shape): string =>
  [
    f.words.label + (f.words.unit ? `, ${f.words.unit}` : ''),
    f.words.help,
    f.fallback === undefined || typeof f.fallback === 'object' ? '' : `Usually ${String(f.fallback)}.`,
    f.required ? 'It must be there.' : '',
    f.words.example ? `Such as ${f.words.example}.` : '',
  ]
    .filter(Boolean)
    .map((s) => (/[.?!]$/.test(s as string) ? s : `${s}.`))
    .join(' ');
