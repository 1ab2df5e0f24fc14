import { diffArrays } from 'diff';
import { formatIp, formatPrefix, isIp, parseIp, parsePrefix, parseRange, prefixRange } from '../address/index.ts';
import { formatRange } from '../address/parse.ts';
import { followedValue } from '../charter/followed.ts';
import { resolve } from '../charter/resolve.ts';
import { Charter } from '../model/charter.ts';
import { applyEdits, getAt, setAt } from '../model/edit.ts';
import type { Estate } from '../model/estate.ts';
import { optionsFor } from '../model/fields/options.ts';
import { type Shape, shapeOf } from '../model/fields/shape.ts';
import type { Plan } from '../charter/plan.ts';
import type { KitFile } from './kit.ts';

/** A field of the charter, with the lines of files that come out otherwise when it is otherwise; counted from 1. */
export interface TracedField {
  field: string;
  lines: Record<string, number[]>;
  count: number;
}

/** Other values that a field could have, most likely to be taken first. */
function otherwise(value: unknown, shape: Shape, names: readonly string[]): unknown[] {
  const listed = (v: unknown[]) => v.filter((x) => JSON.stringify(x) !== JSON.stringify(value));
  if (typeof value === 'number') return [value + 1, value - 1, value * 2];
  if (shape.type === 'number') return [7];
  if (shape.type === 'yes-no') return [value !== true];
  if (shape.options && shape.type === 'choice') return listed(shape.options);
  if (Array.isArray(value))
    return [
      value.length > 1 ? value.slice(0, -1) : undefined,
      [...value, ...names.filter((n) => !value.includes(n)).slice(0, 1)],
      [],
    ];
  if (shape.type === 'texts') return [[shape.words.example ?? 'other.example'], ['192.0.2.1'], names.slice(0, 1)];
  if (typeof value !== 'string') return [shape.words.example, ...names, 'other.example', '192.0.2.1'];
  if (names.length > 1) return listed([...names]);
  try {
    if (/^[0-9a-f.:]+\/\d+$/i.test(value)) {
      const p = parsePrefix(value);
      return [formatPrefix({ ...p, n: prefixRange(p).last + 1n })];
    }
    if (isIp(value)) return [formatIp({ ...parseIp(value), n: parseIp(value).n + 1n })];
    if (value.includes('-') && isIp(value.split('-')[0] ?? '')) {
      const r = parseRange(value);
      return [formatRange({ ...r, last: r.last - 1n }), formatRange({ ...r, last: r.last + 1n })];
    }
  } catch {
    // It is text, then.
  }
  return [`${value}x`, `x${value}`, value.replace(/^[a-z]/, 'x')];
}

/** The fields of a charter that hold a value of their own, and are not its name or where it stands. */
const leaves = (list: readonly Shape[]): Shape[] =>
  list.flatMap((s) => (s.type === 'group' ? leaves(s.fields ?? []) : s.type === 'rows' ? [] : [s]));
const notAsked = new Set(['name', 'site', 'notes', 'purpose']);

export type WriteKit = (plan: Plan, estate: Estate, of?: string) => readonly KitFile[];

/** Fields of a charter of which another value can be tried. */
export const traceable = (): Shape[] =>
  leaves(shapeOf('Charter')).filter((s) => !notAsked.has(s.path) && s.words.by === undefined);

/** The charter with another value in a field, in its estate; undefined where no other value is taken. */
function tried(charter: Charter, plan: Plan, estate: Estate, shape: Shape): { charter: Charter; estate: Estate } | undefined {
  const path = shape.path.split('.');
  const value = getAt(charter, path) ?? followedValue(plan, path);
  const names = shape.words.refers ? optionsFor(shape.words.refers, estate, charter as never) : [];
  for (const other of otherwise(value, shape, names)) {
    const read = Charter.safeParse(setAt(charter, path, other));
    if (read.success && JSON.stringify(getAt(read.data, path)) !== JSON.stringify(getAt(charter, path)))
      return { charter: read.data, estate: applyEdits(estate, [{ op: 'put', doc: read.data }]) };
  }
  return undefined;
}

/**
 * Which lines of a kit come from which field of its charter: found by writing it once more with another value in the field, and seeing
 * which lines come out otherwise. What no field changes comes from elsewhere: the network, the hosts, the release.
 *
 * @param write writes the kit of a plan, always in the same circumstances
 * @param of one host, or `cluster`: the lines of its files alone, of all fields; or one field: its lines in all files
 * @returns fields that change few lines first: they say most about them
 */
export function traceKit(
  charter: Charter,
  estate: Estate,
  write: WriteKit,
  of: { host?: string; field?: string } = {},
): TracedField[] {
  const plan = resolve(charter, estate);
  const base = new Map(write(plan, estate, of.host).map((f) => [f.path, f.content.split('\n')]));
  return traceable()
    .filter((s) => of.field === undefined || s.path === of.field)
    .flatMap((shape): TracedField[] => {
      const other = tried(charter, plan, estate, shape);
      if (!other) return [];
      const lines = changed(base, write(resolve(other.charter, other.estate), other.estate, of.host));
      const count = Object.values(lines).reduce((n, l) => n + l.length, 0);
      return count ? [{ field: shape.path, lines, count }] : [];
    })
    .sort((a, b) => a.count - b.count || (a.field < b.field ? -1 : 1));
}

/** Lines of files that are not there any more as they were. */
function changed(base: ReadonlyMap<string, string[]>, now: readonly KitFile[]): Record<string, number[]> {
  const out: Record<string, number[]> = {};
  for (const f of now) {
    const old = base.get(f.path);
    if (!old || old.join('\n') === f.content) continue;
    const gone: number[] = [];
    let at = 1;
    for (const part of diffArrays(old, f.content.split('\n'))) {
      if (part.added) continue;
      if (part.removed) for (let i = 0; i < part.count; i++) gone.push(at + i);
      at += part.count;
    }
    if (gone.length) out[f.path] = gone;
  }
  return out;
}
