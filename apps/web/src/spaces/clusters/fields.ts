import { type Charter, type Estate, optionsFor, type SheetField, sheetFields, sheetSections } from '@praesidor/core/model';

export type { SheetField };
export const sections = sheetSections;
/** What is set in a charter, by § of the sheet: as core describes its fields. */
export const fields: readonly SheetField[] = sheetFields('Charter');
/** What a field can hold, where that is known. */
export const optionsOf = (f: SheetField, e: Estate, c: Charter): string[] =>
  f.choices ?? (f.words.refers ? optionsFor(f.words.refers, e, c as never) : []);

export const at = (doc: unknown, path: string[]): unknown =>
  path.reduce<unknown>((v, k) => (v as Record<string, unknown> | undefined)?.[k], doc);

/** Parts that a charter has also where nothing of them is set. */
const standing = new Set(['api', 'inbound', 'controlPlane', 'workers', 'pods', 'services', 'overlay']);
/** A copy with the value at its path; undefined takes the field out, and what is empty then with it. */
export function withValue<T>(doc: T, path: string[], value: unknown): T {
  const [head, ...rest] = path;
  if (head === undefined) return value as T;
  const copy = { ...(doc as Record<string, unknown>) };
  const next = rest.length ? withValue((copy[head] ?? {}) as Record<string, unknown>, rest, value) : value;
  const empty = rest.length > 0 && typeof next === 'object' && next !== null && !Object.keys(next).length && !standing.has(head);
  if (next === undefined || empty) delete copy[head];
  else copy[head] = next;
  return copy as T;
}
