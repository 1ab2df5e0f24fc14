import { issuesOf, type Kind, kinds, type RawDocument } from '@praesidor/core/model';
import type { FieldErrors, Resolver } from 'react-hook-form';
import type { z } from 'zod';

/** Faults of a document by the path of their field, in the words that a text of it has them. */
export function faultsOf(kind: Kind, raw: RawDocument): { path: string; message: string }[] {
  const read = (kinds[kind] as unknown as z.ZodType).safeParse(raw);
  if (read.success) return [];
  return issuesOf(read.error, kinds[kind] as unknown as z.ZodType).map((i) => ({ path: i.path.join('.'), message: i.message }));
}

/** A form is held against the schema of its kind, the one that the server holds it against. */
export const resolverOf =
  (kind: Kind): Resolver<RawDocument> =>
  (values) => {
    const errors: Record<string, unknown> = {};
    for (const { path, message } of faultsOf(kind, values as RawDocument)) put(errors, path.split('.'), message);
    return Object.keys(errors).length ? { values: {}, errors: errors as FieldErrors<RawDocument> } : { values, errors: {} };
  };

function put(into: Record<string, unknown>, [head = '', ...rest]: string[], message: string): void {
  if (!rest.length) {
    into[head] = { ...(into[head] as object), type: 'value', message };
    return;
  }
  into[head] ??= {};
  put(into[head] as Record<string, unknown>, rest, message);
}
