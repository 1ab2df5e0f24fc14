import type { Kind } from '../documents.ts';

/** What the name in a field refers to: a document, an entry of the keyring, a rack or zone of the site, a question of its add-ons, an operating system of its release. */
export type Reference =
  | { kind: Kind; purpose?: string; roles?: readonly string[]; anywhere?: boolean; provides?: string }
  | { key: 'bmc' | 'hypervisor' | 'registry' | 'tsig' | 'objects' | 'encryption' | 'other' }
  | { of: 'rack' | 'zone' | 'pool' | 'question' | 'system' };

/** Sections of the sheet of a charter. */
export type Section = 1 | 2 | 3 | 4 | 5 | 6;

/** What people read about a field. Its type, bounds and default are its schema's. */
export interface FieldWords {
  /** A noun, as it stands before the value. */
  label: string;
  /** One sentence: what it is for, or how it is written. */
  help?: string;
  unit?: string;
  example?: string;
  /** What each choice means. */
  choices?: Readonly<Record<string, string>>;
  refers?: Reference;
  /** Rarely set: a form folds it away while it is empty. */
  rare?: boolean;
  /** Not typed into a field: measured, kept by acts, or written in the text alone. */
  by?: 'measured' | 'acts' | 'text';
  /** Addresses, digests, keys: set in the mono face. */
  mono?: boolean;
  /** Several lines of text; of a list: one element a line, where others take any separator. */
  lines?: boolean;
  /** Its content often lies in a file, with one of these endings. */
  file?: string;
  /** Where it stands on the sheet of its document, and what it is called there where its group is not said beside it. */
  sheet?: { section: Section; label?: string; unit?: string };
  /** What stands for it when it is not set is computed. */
  follows?: true;
}

/** The fields of a kind by their path; `*` stands for each element of a list. */
export type Fields = Readonly<Record<string, FieldWords>>;
