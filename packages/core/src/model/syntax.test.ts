import { describe, expect, it } from 'vitest';
import { readDocuments } from './read.ts';

/** Texts as people mistype them, and what is said of each at which line and column. */
describe('faults of YAML in plain words', () => {
  it.each([
    ['kind: Site\nname', 2, 1, 'expected name: value, found a word alone'],
    ['kind: Site\nkind: Host\n', 2, 1, 'this name is given twice in the same block; keep one'],
    ['kind: Site\nsite:\n\tname: a\n', 3, 1, 'a tab indents here; use spaces'],
    [
      'kind: Site\npurpose: ferry: north\n',
      2,
      10,
      'two names on one value; check the indentation, and put a value that has a colon in quotes',
    ],
    [
      'kind: Site\n  name: bw\n',
      1,
      7,
      'two names on one value; check the indentation, and put a value that has a colon in quotes',
    ],
    ['kind: Site\nname: "bw\n', 3, undefined, 'a quote is not closed'],
    ['kind: Site\nname: @bw\n', 2, 7, 'a value cannot begin with reserved character @; put it in quotes'],
    ['kind: Site\nname: "b\\w"\n', 2, undefined, '\\w means nothing in double quotes; use single quotes, or two backslashes'],
    ['kind: Site\nname: *bw\n', 1, 1, '*bw refers to nothing that stands before it; write the value out'],
    ['kind: Site\nlist: [a, b\n', 3, undefined, 'an opening bracket has no ]; close it, or put the value in quotes'],
    ['kind: Site\nlist: [a,,b]\n', 2, 10, 'a comma without a value before it'],
    ['kind: Site\nname: "a" b\n', 2, undefined, 'something follows a value that has ended; put the whole value in quotes'],
    [
      'kind: Site\nlist:\n  - a\n - b\n',
      4,
      undefined,
      'this line is not indented as its block is; lines of one block begin in the same column',
    ],
  ])('%j', (text, line, column, message) => {
    const { faults } = readDocuments(text);
    const [first] = faults;
    // One mistake is told once.
    expect(new Set(faults.map((f) => f.line)).size).toBe(faults.length);
    expect(first?.message).toBe(message);
    if (line) expect(first?.line).toBe(line);
    if (column) expect(first?.column).toBe(column);
  });
});
