import type { Kind } from '../documents.ts';
import type { FieldWords, Section } from './field.ts';
import { type Shape, shapeOf } from './shape.ts';

/** A field as the sheet shows it: from the words and the schema that forms, text, command line and docs have it from. */
export interface SheetField {
  section: Section;
  label: string;
  path: string[];
  kind: 'text' | 'number' | 'choice' | 'list' | 'rows' | 'group';
  /** Values of a choice that the schema knows; others are names of the estate. */
  choices?: string[];
  words: FieldWords;
  follows: boolean;
  mono: boolean;
  unit?: string;
  hint?: string;
}

/** The sections of a charter's sheet. */
export const sheetSections = {
  1: 'Release and images',
  2: 'Hosts and roles',
  3: 'Networks',
  4: 'Names and addresses',
  5: 'Storage',
  6: 'Access and upkeep',
} as const;

/** What is set on the sheet of a kind, section by section, in the order of its words. */
export function sheetFields(kind: Kind): SheetField[] {
  const all = (list: readonly Shape[]): Shape[] => list.flatMap((s) => [...(s.type === 'group' ? all(s.fields ?? []) : []), s]);
  return all(shapeOf(kind))
    .flatMap((s): SheetField[] => {
      const { words } = s;
      if (!words.sheet) return [];
      const refers = words.refers !== undefined && s.type !== 'texts';
      const unit = words.sheet.unit ?? words.unit;
      return [
        {
          section: words.sheet.section,
          label: words.sheet.label ?? words.label,
          path: s.path.split('.'),
          kind:
            s.type === 'rows' || s.type === 'group'
              ? s.type
              : s.type === 'number'
                ? 'number'
                : s.type === 'texts'
                  ? 'list'
                  : s.type === 'choice' || refers
                    ? 'choice'
                    : 'text',
          ...(s.options ? { choices: s.options } : {}),
          words,
          follows: words.follows ?? false,
          mono: words.mono ?? false,
          ...(unit ? { unit } : {}),
          ...(words.example ? { hint: words.example } : {}),
        },
      ];
    })
    .sort((a, b) => a.section - b.section);
}
