import { anyDocumentSchema, fieldWords, jsonSchemaOf, type Kind, kinds, kindWords, nearest } from '@praesidor/core/model';
import { Unusable } from '../estate.ts';
import type { CommandGroup } from '../options.ts';

/** JSON Schema of the documents, for text editors and for programs that check one before it is sent. */
export const schema: CommandGroup = {
  name: 'schema',
  about: 'what documents of each kind hold: JSON Schema, or a list of their fields',
  commands: [
    {
      name: 'print',
      words: '[kind]',
      about: 'the JSON Schema of a kind; without one, of a document of any kind',
      run: (asked, write) => {
        write(`${JSON.stringify(asked.words[0] ? jsonSchemaOf(kindIn(asked.words[0])) : anyDocumentSchema(), null, 2)}\n`);
        return 0;
      },
    },
    {
      name: 'fields',
      words: '<kind>',
      about: 'the fields of a kind with their meaning',
      run: (asked, write) => {
        const kind = kindIn(asked.words[0] ?? '');
        const rows = Object.entries(fieldWords[kind]).map(([path, w]) => ({ path, ...w }));
        if (asked.options.json) write(`${JSON.stringify({ kind, about: kindWords[kind], fields: rows })}\n`);
        else
          write(
            `${kind}: ${kindWords[kind]}\n${rows
              .map((r) => `  ${r.path.padEnd(26)} ${r.label}${r.unit ? `, ${r.unit}` : ''}${r.help ? `. ${r.help}` : ''}`)
              .join('\n')}\n`,
          );
        return 0;
      },
    },
  ],
};

/** @throws Unusable with the nearest kind */
function kindIn(word: string): Kind {
  const all = Object.keys(kinds) as Kind[];
  const kind = all.find((k) => k.toLowerCase() === word.toLowerCase());
  if (kind) return kind;
  const near = nearest(word, all);
  throw new Unusable(`there is no kind ${word}${near ? `; did you mean ${near}?` : ''}; kinds are ${all.join(', ')}`);
}
