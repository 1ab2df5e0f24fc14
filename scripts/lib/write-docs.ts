import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { errorsTable } from '../../apps/server/src/refusal-words.ts';
import { examples } from '../../packages/core/test/examples.ts';
import { actsTable, fieldsTable } from '../../packages/core/src/access/index.ts';
import { findingsTable } from '../../packages/core/src/checks/index.ts';
import { anyDocumentSchema, formatsText } from '../../packages/core/src/model/index.ts';

const docs = join(import.meta.dirname, '../../docs');
/** Writes what stands between `<!-- name -->` and `<!-- /name -->` of a page anew. */
function put(page: string, name: string, content: string): void {
  const file = join(docs, page);
  const text = readFileSync(file, 'utf8');
  const [before, rest] = text.split(`<!-- ${name} -->`);
  const [, after] = (rest ?? '').split(`<!-- /${name} -->`);
  if (after === undefined) throw new Error(`docs/${page} has no marks for ${name}`);
  writeFileSync(file, `${before}<!-- ${name} -->\n\n${content.trim()}\n\n<!-- /${name} -->${after}`);
}
put('security.md', 'acts', actsTable());
put('security.md', 'fields', fieldsTable());
put('findings.md', 'findings', findingsTable());
put('errors.md', 'errors', errorsTable());
put('formats/README.md', 'formats', formatsText(examples()));
writeFileSync(join(docs, 'formats/schema.json'), `${JSON.stringify(anyDocumentSchema(), null, 1)}\n`);
