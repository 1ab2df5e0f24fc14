import type { YAMLError } from 'yaml';

/** By what the reader of YAML says, in its order; the first that fits is told. */
const plain: readonly [code: YAMLError['code'], message: RegExp, said: string | ((found: string) => string)][] = [
  ['MISSING_CHAR', /^Implicit map keys/, 'expected name: value, found a word alone'],
  ['MULTILINE_IMPLICIT_KEY', /./, 'expected name: value on one line, found a name over more than one'],
  ['DUPLICATE_KEY', /./, 'this name is given twice in the same block; keep one'],
  ['TAB_AS_INDENT', /./, 'a tab indents here; use spaces'],
  ['BAD_INDENT', /^Flow .* a (.)$/, (c) => `an opening bracket has no ${c}; close it, or put the value in quotes`],
  ['BAD_INDENT', /./, 'this line is not indented as its block is; lines of one block begin in the same column'],
  [
    'BLOCK_AS_IMPLICIT_KEY',
    /^Nested/,
    'two names on one value; check the indentation, and put a value that has a colon in quotes',
  ],
  ['BLOCK_AS_IMPLICIT_KEY', /^A block/, 'this line is not indented as its block is; lines of one block begin in the same column'],
  ['MISSING_CHAR', /closing .quote/, 'a quote is not closed'],
  ['BAD_SCALAR_START', /with (.*)$/, (c) => `a value cannot begin with ${c}; put it in quotes`],
  ['BAD_DQ_ESCAPE', /sequence (.*)$/, (c) => `${c} means nothing in double quotes; use single quotes, or two backslashes`],
  ['MISSING_CHAR', /^Missing , /, 'a comma is missing between two values in brackets'],
  ['UNEXPECTED_TOKEN', /^Unexpected ,/, 'a comma without a value before it'],
  ['UNEXPECTED_TOKEN', /node end$/, 'something follows a value that has ended; put the whole value in quotes'],
];

/** What is wrong with the YAML (1.2.2) of a text, in plain words; what none of them fits, as the reader says it. */
export const plainSyntax = (e: Pick<YAMLError, 'code' | 'message'>): string => {
  for (const [code, message, said] of plain) {
    const fits = code === e.code && message.exec(e.message);
    if (fits) return typeof said === 'string' ? said : said(fits[1] ?? '');
  }
  return e.message;
};

/** What is wrong with an alias that could not be resolved; undefined where the alias is not what is wrong. */
export const plainAlias = (e: unknown): string | undefined => {
  const alias = /^Unresolved alias.*: (.*)$/.exec(e instanceof Error ? e.message : '')?.[1];
  return alias && `*${alias} refers to nothing that stands before it; write the value out`;
};
