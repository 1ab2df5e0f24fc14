import type { Doc, Kind } from '../documents.ts';
import { kinds } from '../documents.ts';
import { writeDocument } from '../read.ts';
import { kindWords } from './catalogue.ts';
import { type Shape, shapeOf } from './shape.ts';

const typeText: Record<Shape['type'], string> = {
  text: 'text',
  number: 'number',
  'yes-no': 'true or false',
  choice: '',
  texts: 'list of texts',
  group: 'fields below it',
  rows: 'list',
};

const every = (shapes: readonly Shape[]): Shape[] => shapes.flatMap((s) => [s, ...every(s.fields ?? [])]);
const cell = (text: string) => text.replaceAll('|', '\\|').replaceAll('\n', ' ');

function rowOf(s: Shape): string {
  const kind =
    s.type === 'choice' || s.options
      ? (s.options ?? [])
          .map((o) => `\`${o}\`${s.words.choices?.[o] && s.words.choices[o] !== o ? ` (${s.words.choices[o]})` : ''}`)
          .join(', ')
      : `${s.integer ? 'whole number' : typeText[s.type]}${s.words.unit ? `, ${s.words.unit}` : ''}`;
  const usual = s.fallback === undefined || typeof s.fallback === 'object' ? '' : ` Usually \`${String(s.fallback)}\`.`;
  const kept = s.words.by === 'acts' ? ' Kept by acts, not typed.' : s.words.by === 'measured' ? ' Measured, not typed.' : '';
  return `| \`${s.path}\` | ${s.required ? 'yes' : ''} | ${cell(kind)} | ${cell(`${s.words.label}.${s.words.help ? ` ${s.words.help}` : ''}${usual}${kept}`)} |`;
}

/** Every kind of document with an example and its fields, as it stands in docs/formats. */
export function formatsText(examples: Readonly<Record<Kind, Doc>>): string {
  return (Object.keys(kinds) as Kind[])
    .map((kind) =>
      [
        `## ${kind}`,
        '',
        kindWords[kind],
        '',
        '```yaml',
        writeDocument(examples[kind]).trimEnd(),
        '```',
        '',
        '| field | must be there | holds | meaning |',
        '| --- | --- | --- | --- |',
        ...every(shapeOf(kind)).map(rowOf),
      ].join('\n'),
    )
    .join('\n\n');
}
