import { type Doc, type Edit, keyOf, kinds, type Kind, words } from '@praesidor/core/model';
import { counted } from '@praesidor/core/words';
import { z } from 'zod';
import type { Context } from '../context.ts';
import { Refusal } from '../refusal.ts';
import { validDoc } from './documents.ts';

const KindName = z.enum(Object.keys(kinds) as [Kind, ...Kind[]]);
/** What tells one document of a kind from another: printable text. */
const Key = z
  .string()
  .min(1)
  .max(1600)
  .refine((t) => !words.unprintable(t), 'a key is printable text');
const Step = z.union([z.string().min(1).max(80), z.number().int().min(0).max(10_000)]);
const Path = z
  .array(Step)
  .min(1, 'the path of a field has at least one step')
  .max(12)
  .refine((p) => !['kind', 'apiVersion'].includes(String(p[0])), 'kind and apiVersion stay as they are')
  .refine((p) => !p.some((k) => ['__proto__', 'constructor', 'prototype'].includes(String(k))), 'no such field');
/** One document, by what tells it from others. */
export const OneDocument = z.strictObject({ kind: KindName, key: Key });
/** Described changes of documents, as a request has them. */
export const EditList = z
  .array(
    z.discriminatedUnion('op', [
      z.strictObject({ op: z.literal('set'), kind: KindName, key: Key, path: Path, value: z.unknown().optional() }),
      z.strictObject({ op: z.literal('put'), doc: z.record(z.string(), z.unknown()) }),
      z.strictObject({ op: z.literal('drop'), kind: KindName, key: Key }),
    ]),
  )
  .min(1)
  .max(1000);
/** @throws Refusal where a document is none */
export const editsIn = (list: z.infer<typeof EditList>): Edit[] =>
  list.map((e): Edit => (e.op === 'put' ? { op: 'put', doc: validDoc(e.doc) } : (e as Edit)));

/** Documents of a text. @throws Refusal with every fault, or with the document that is listed twice; `undone` says what was not done */
export async function documentsIn(ctx: Context, { text, file }: { text: string; file: string }, undone: string): Promise<Doc[]> {
  const { docs, faults } = await ctx.compute.run('readDocuments', { text, file });
  if (faults.length)
    throw new Refusal(
      'invalid',
      `${undone}: ${counted(faults.length, 'fault')}, the first in line ${faults[0]?.line}: ${faults[0]?.message}`,
      { places: faults.slice(0, 100) },
    );
  const twice = secondOf(docs);
  if (twice)
    throw new Refusal(
      'invalid',
      `${undone}: ${twice.doc.kind} ${keyOf(twice.doc)} is listed twice, again in line ${twice.line}.`,
      { places: [{ file, line: twice.line, message: 'declared twice' }] },
    );
  return docs.map((d) => d.doc);
}

/** The first document that has stood in the text before, if any. */
function secondOf<D extends { doc: Doc }>(docs: readonly D[]): D | undefined {
  const seen = new Set<string>();
  return docs.find((d) => {
    const name = `${d.doc.kind} ${keyOf(d.doc)}`;
    return seen.has(name) || !seen.add(name);
  });
}
