import type { z } from 'zod';
import { type Kind, kinds } from '../documents.ts';
import { fieldWords } from './catalogue.ts';
import type { FieldWords } from './field.ts';

/** A field as a form needs it: its words, and what its schema says of it. */
export interface Shape {
  /** Its name in its document or group. */
  key: string;
  /** From the document on, `*` for an element of a list. */
  path: string;
  words: FieldWords;
  type: 'text' | 'number' | 'yes-no' | 'choice' | 'texts' | 'group' | 'rows';
  required: boolean;
  /** What stands for it when it is not given. */
  fallback?: unknown;
  /** Values of a choice, or of each element of a list of them. */
  options?: string[];
  integer?: boolean;
  /** Fields of a group, or of each row. */
  fields?: Shape[];
}

interface Def {
  type: string;
  innerType?: Schema;
  in?: Schema;
  element?: Schema;
  shape?: Record<string, Schema>;
  entries?: Record<string, string>;
  options?: Schema[];
  defaultValue?: unknown;
  checks?: { _zod: { def: { check: string; format?: string } } }[];
}
interface Schema {
  def: Def;
}

const shapes = new Map<Kind, Shape[]>();

/**
 * The fields of a kind, in the order of its words; what its schema has and no words are for is left out (`apiVersion`, `kind`).
 *
 * @example
 * shapeOf('Zone').map((f) => f.words.label) // ['DNS zone', 'Site', 'Primary server', …]
 */
export function shapeOf(kind: Kind): Shape[] {
  let found = shapes.get(kind);
  if (!found) {
    found = fieldsIn(kinds[kind] as unknown as Schema, fieldWords[kind], '');
    shapes.set(kind, found);
  }
  return found;
}

function fieldsIn(schema: Schema, words: Readonly<Record<string, FieldWords>>, below: string): Shape[] {
  const shape = peel(schema).def.shape ?? {};
  const order = Object.keys(words);
  return Object.keys(shape)
    .flatMap((key) => {
      const path = below ? `${below}.${key}` : key;
      const named = words[path];
      return named ? [field(key, path, named, shape[key] as Schema, words)] : [];
    })
    .sort((a, b) => order.indexOf(a.path) - order.indexOf(b.path));
}

function field(key: string, path: string, words: FieldWords, schema: Schema, all: Readonly<Record<string, FieldWords>>): Shape {
  const { def } = peel(schema);
  const given = optional(schema);
  const base = {
    key,
    path,
    words,
    required: given.required,
    ...(given.fallback === undefined ? {} : { fallback: given.fallback }),
  };
  if (def.type === 'number')
    return { ...base, type: 'number', integer: def.checks?.some((c) => c._zod.def.format === 'safeint') === true };
  if (def.type === 'boolean') return { ...base, type: 'yes-no' };
  if (def.type === 'enum') return { ...base, type: 'choice', options: Object.values(def.entries ?? {}) };
  if (def.type === 'object') return { ...base, type: 'group', fields: fieldsIn(schema, all, path) };
  // Lists of servers are a list or one text: as a form has it, a list.
  if (def.type === 'union') return { ...base, type: 'texts' };
  if (def.type === 'array') {
    const element = peel(def.element as Schema);
    if (element.def.type === 'object') return { ...base, type: 'rows', fields: fieldsIn(element, all, `${path}.*`) };
    return {
      ...base,
      type: 'texts',
      ...(element.def.type === 'enum' ? { options: Object.values(element.def.entries ?? {}) } : {}),
    };
  }
  return { ...base, type: 'text' };
}

/** The schema itself, without what makes it optional, gives it a default or changes what was read. */
function peel(schema: Schema): Schema {
  let at = schema;
  for (;;) {
    const inner = at.def.innerType ?? (at.def.type === 'pipe' ? at.def.in : undefined);
    if (!inner) return at;
    at = inner;
  }
}
function optional(schema: Schema): { required: boolean; fallback?: unknown } {
  for (let at: Schema | undefined = schema; at; at = at.def.innerType ?? (at.def.type === 'pipe' ? at.def.in : undefined)) {
    if (at.def.type === 'optional') return { required: false };
    if (at.def.type === 'default') return { required: false, fallback: at.def.defaultValue };
  }
  return { required: true };
}

/** Every path that a schema has, groups and lists among them; `*` for the elements of a list. */
export function pathsOf(schema: z.ZodType, below = ''): string[] {
  const { def } = peel(schema as unknown as Schema);
  const inner = def.type === 'array' ? peel(def.element as Schema).def.shape : def.shape;
  const at = def.type === 'array' ? `${below}.*.` : below ? `${below}.` : '';
  return Object.entries(inner ?? {}).flatMap(([key, s]) => [`${at}${key}`, ...pathsOf(s as unknown as z.ZodType, `${at}${key}`)]);
}
