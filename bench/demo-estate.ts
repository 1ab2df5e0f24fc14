import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Estate, emptyEstate, readDocuments, sliceOf } from '@praesidor/core/model';

/** The estate of the demonstration, as its files declare it. */
export function demoEstate(): Estate {
  const dir = join(import.meta.dirname, '../demo/estate');
  const estate = emptyEstate('2026-11-23T09:00:00Z');
  for (const f of readdirSync(dir).sort())
    for (const { doc } of readDocuments(readFileSync(join(dir, f), 'utf8'), f).docs)
      (estate[sliceOf[doc.kind]] as unknown[]).push(doc);
  return estate;
}
