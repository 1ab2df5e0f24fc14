import type { Doc, Kind } from './documents.ts';

/** One field that a document has otherwise than another: `undefined` where it has none. Lists are compared as a whole. */
export interface FieldChange {
  path: (string | number)[];
  before?: unknown;
  after?: unknown;
}
/** What became of one document: `null` where there was none, or is none any more. */
export interface Change {
  kind: Kind;
  key: string;
  before: Doc | null;
  after: Doc | null;
}
/** A field that two people changed to different values; nothing of either is lost until one is chosen. */
export interface Collision {
  path: (string | number)[];
  /** What the person began from, and wants. */
  before?: unknown;
  mine?: unknown;
  /** What stands there now. */
  theirs?: unknown;
}

type Tree = Record<string, unknown>;
const isTree = (v: unknown): v is Tree => v !== null && typeof v === 'object' && !Array.isArray(v);

/** Whether two values hold the same, whatever the order of their keys; absent and `undefined` are the same. */
export function same(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((v, i) => same(v, b[i]));
  if (!isTree(a) || !isTree(b)) return false;
  return [...new Set([...Object.keys(a), ...Object.keys(b)])].every((k) => same(own(a, k), own(b, k)));
}
const own = (t: Tree, k: string): unknown => (Object.hasOwn(t, k) ? t[k] : undefined);

/**
 * Every field in which two documents differ, the deepest that both have. A field that one has and the other has not is
 * told with all that is in it, field by field.
 *
 * @example
 * differences({ api: { name: 'a' } }, { api: { name: 'b' }, mtu: 9000 })
 * // [{ path: ['api', 'name'], before: 'a', after: 'b' }, { path: ['mtu'], after: 9000 }]
 */
export function differences(before: object | null, after: object | null): FieldChange[] {
  const out: FieldChange[] = [];
  const walk = (a: unknown, b: unknown, path: string[]) => {
    if (same(a, b)) return;
    const trees = (isTree(a) || a === undefined) && (isTree(b) || b === undefined);
    const keys = trees ? [...new Set([...Object.keys(a ?? {}), ...Object.keys(b ?? {})])].sort() : [];
    if (!keys.length) {
      out.push({ path, ...(a === undefined ? {} : { before: a }), ...(b === undefined ? {} : { after: b }) });
      return;
    }
    for (const k of keys) walk(isTree(a) ? own(a, k) : undefined, isTree(b) ? own(b, k) : undefined, [...path, k]);
  };
  walk(before ?? undefined, after ?? undefined, []);
  return out;
}

const at = (value: unknown, path: readonly (string | number)[]): unknown =>
  path.reduce<unknown>((v, k) => (isTree(v) ? own(v, String(k)) : undefined), value);

/** A copy with a field set, or taken out for `undefined`; an object that is empty by that goes too, unless it was empty before. */
function put(value: unknown, path: readonly (string | number)[], to: unknown): unknown {
  const [head, ...rest] = path;
  if (head === undefined) return to;
  const copy: Tree = isTree(value) ? { ...value } : {};
  const next = put(own(copy, String(head)), rest, to);
  if (next === undefined || (to === undefined && rest.length && isTree(next) && !Object.keys(next).length)) delete copy[head];
  else Object.defineProperty(copy, head, { value: next, enumerable: true, configurable: true, writable: true });
  return copy;
}

/** The document with one side of every change in it, whatever stands there: as the person wants it, or as they found it. */
export const withFields = <T extends object>(doc: T, changes: readonly FieldChange[], side: 'before' | 'after'): T =>
  changes.reduce<unknown>((d, c) => put(d, c.path, c[side]), doc) as T;

/**
 * Makes the changes of one person in a document that may have changed since. A field that still stands as it was, or
 * already as wanted, is set; any other is a collision and is left as it stands. A change of a field and one of
 * something within it, or around it, collide too.
 */
export function mergeFields<T extends object>(
  standing: T,
  changes: readonly FieldChange[],
): { merged: T; collisions: Collision[] } {
  let merged: unknown = standing;
  const collisions: Collision[] = [];
  for (const c of changes) {
    const theirs = at(standing, c.path);
    if (same(theirs, c.after)) continue;
    const around = c.path.slice(0, -1).findIndex((_, i) => {
      const v = at(standing, c.path.slice(0, i + 1));
      return v !== undefined && !isTree(v);
    });
    if (around < 0 && same(theirs, c.before)) merged = put(merged, c.path, c.after);
    else
      collisions.push({
        path: c.path,
        ...(c.before === undefined ? {} : { before: c.before }),
        ...(c.after === undefined ? {} : { mine: c.after }),
        ...(theirs === undefined ? {} : { theirs }),
      });
  }
  return { merged: merged as T, collisions };
}
