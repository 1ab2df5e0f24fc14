import { differences, same } from './difference.ts';
import type { Doc } from './documents.ts';
import { readDocuments, setManyInText, writeDocument } from './read.ts';

/**
 * A text that somebody wrote, brought to what a document says by now: fields that differ are set in it, and everything else, comments and
 * the order of fields among it, stays as it was written. A text that cannot be read, or is of another document, is written anew.
 */
export function matchingText(text: string | undefined, doc: Doc): string {
  const read = text === undefined ? undefined : readDocuments(text);
  const written = read?.docs[0]?.doc;
  if (text === undefined || read?.faults.length || read?.docs.length !== 1 || written?.kind !== doc.kind)
    return writeDocument(doc);
  const changes = differences(written, doc);
  if (!changes.length) return text;
  try {
    const next = setManyInText(
      text,
      changes.map((c) => ({ document: 0, path: c.path, value: c.after })),
    );
    return same(readDocuments(next).docs[0]?.doc, doc) ? next : writeDocument(doc);
  } catch {
    return writeDocument(doc);
  }
}
