import { describe, expect, it } from 'vitest';
import { afterRun, emptyLine, harmless, type Line, redraw, typed } from './shell-line.ts';

const after = (line: Line, ...keys: string[]) => keys.reduce((l, k) => typed(l, k).line, line);
const text = (...keys: string[]) => {
  const l = after(emptyLine(['get nodes', 'get pods -A']), ...keys);
  return `${l.text.slice(0, l.at)}|${l.text.slice(l.at)}`;
};

describe('a line that is typed', () => {
  it.each([
    [['g', 'e', 't'], 'get|'],
    [['get', '\x1b[D', 'X'], 'geX|t'],
    [['get', '\x7f', '\x7f'], 'g|'],
    [['get', '\x1b[H', '\x1b[3~'], '|et'],
    [['get pods', '\x17', '\x17'], '|'],
    [['get pods', '\x17'], 'get |'],
    [['get pods', '\x1b[D', '\x15'], '|s'],
    [['get pods', '\x01', '\x1b[C', '\x0b'], 'g|'],
    [['ge', '\x1b[A'], 'get pods -A|'],
    [['ge', '\x1b[A', '\x1b[A', '\x1b[A'], 'get nodes|'],
    [['ge', '\x1b[A', '\x1b[B'], 'ge|'],
    [['\x1b[A', '\x1b[B', '\x1b[B'], '|'],
    [['a', '\x1b[24~', '\x1bOP', 'b'], 'ab|'],
    [['get pods\n  -A\r\nget nodes\n'], 'get pods -A get nodes|'],
    [['a\x00b\x1fc'], 'abc|'],
  ])('%j is %s', (keys, is) => {
    expect(text(...keys)).toBe(is);
  });
  it('is run, stopped and cleared by keys, never by what is pasted', () => {
    const does = (data: string) => typed(emptyLine(), data).does;
    expect([does('\r'), does('\x03'), does('\x0c'), does('delete node lr-02\r')]).toEqual(['run', 'stop', 'clear', undefined]);
  });
  it('is in the history once, when it was run', () => {
    const l = afterRun({ ...emptyLine(['a', 'b']), text: ' a ', at: 3 });
    expect([l.text, l.history]).toEqual(['', ['b', 'a']]);
    expect(afterRun({ ...emptyLine(['a']), text: '  ', at: 2 }).history).toEqual(['a']);
  });
  it('has an end', () => {
    expect(after(emptyLine(), 'x'.repeat(5000)).text.length).toBe(4000);
  });
});

const esc = '\u001b';
const piece = new RegExp(`${esc}\\[\\d*[A-Z]|[\\s\\S]`, 'g');
/** A terminal as small as the tests need it: rows of characters, a cursor, and the sequences that are sent here. */
function screen(columns: number, ...sent: string[]): { rows: string[]; at: [row: number, column: number] } {
  const cells: string[][] = [[]];
  let [row, column] = [0, 0];
  const line = (r: number) => (cells[r] ??= []);
  for (const s of sent)
    for (const [part] of s.matchAll(piece)) {
      const m = part.length > 1 ? /(\d*)([A-Z])$/.exec(part) : undefined;
      const n = Number(m?.[1] || 1);
      if (m?.[2] === 'A') row = Math.max(0, row - n);
      else if (m?.[2] === 'C') column = Math.min(columns - 1, column + n);
      else if (m?.[2] === 'J') {
        line(row).splice(column);
        cells.splice(row + 1);
      } else if (part === '\r') column = 0;
      else if (part === '\b') column = Math.max(0, column - 1);
      else {
        // The cursor waits at the edge, and goes on with the next character.
        if (column === columns) [row, column] = [row + 1, 0];
        line(row)[column++] = part;
      }
    }
  return {
    rows: cells.map((c) =>
      Array.from(c, (x) => x ?? ' ')
        .join('')
        .trimEnd(),
    ),
    at: [row, column],
  };
}

describe('a line is drawn', () => {
  it.each([5, 7, 10, 11, 40])('over what was drawn before, in %d columns, whatever was typed', (columns) => {
    const keys = [
      'abcdefgh',
      '\x1b[D',
      '\x1b[D',
      'XY',
      '\x7f',
      '\x1b[H',
      'ij',
      '\x1b[F',
      'klmnop',
      '\x15',
      'q',
      '\x1b[A',
      '\x17',
      'r',
    ];
    let line = emptyLine(['get nodes -o wide']);
    const sent = [redraw('p> ', line, columns)];
    for (const k of keys) {
      const next = typed(line, k).line;
      sent.push(redraw('p> ', next, columns, line));
      line = next;
      const { rows, at } = screen(columns, ...sent);
      const whole = `p> ${line.text}`;
      const wanted = Array.from({ length: Math.ceil(whole.length / columns) }, (_, n) =>
        whole.slice(n * columns, (n + 1) * columns).trimEnd(),
      );
      expect([k, rows.filter((r, n) => r || n < wanted.length)]).toEqual([k, wanted]);
      const cursor = 3 + line.at;
      expect([k, at]).toEqual([k, [Math.floor(cursor / columns), cursor % columns]]);
    }
  });
});

describe('what a program said', () => {
  it.each([
    ['keeps lines, tabs and colours', 'a\tb\n\x1b[1;32mok\x1b[0m\n', 'a\tb\n\x1b[1;32mok\x1b[0m\n'],
    ['moves no cursor, clears no screen', 'a\x1b[2J\x1b[1;1Hb\x1b[?25l\x1b[5A', 'ab'],
    ['sets no title, no clipboard, no link', 'a\x1b]0;owned\x07b\x1b]52;c;aGk=\x1b\\c\x1b]8;;http://x.example\x1b\\d', 'abcd'],
    ['sends nothing else', 'a\x1bPq#0\x1b\\b\x1b_x\x1b\\c\x1bc\x9b2Jd\x07\x08e', 'abc2Jde'],
    ['leaves a colour where one is left', '\x1b[\x1b[2J31mx', '\x1b[31mx'],
    ['is not fooled by an escape in an escape', '\x1b[\x1b[2J2Jx\x1b\x1b]0;a\x07[3Ay', '[2Jxy'],
    ['nor by one that is cut off', 'a\x1b]0;never ends', 'a'],
  ])('%s', (_, said, shown) => {
    expect(harmless(said)).toBe(shown);
  });
});
