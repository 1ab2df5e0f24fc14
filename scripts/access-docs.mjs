/* Writes the tables of acts and fields into docs/security.md, between their marks: `node --import tsx scripts/access-docs.mjs`. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { actsTable, fieldsTable } from '../packages/core/src/access/index.ts';

const file = join(import.meta.dirname, '../docs/security.md');
/** The text with what stands between `<!-- name -->` and `<!-- /name -->` exchanged. */
function between(text, name, content) {
  const [before, rest] = text.split(`<!-- ${name} -->`);
  const [, after] = (rest ?? '').split(`<!-- /${name} -->`);
  if (after === undefined) throw new Error(`docs/security.md has no marks for ${name}`);
  return `${before}<!-- ${name} -->\n${content}\n<!-- /${name} -->${after}`;
}
writeFileSync(file, between(between(readFileSync(file, 'utf8'), 'acts', actsTable()), 'fields', fieldsTable()));
