/**
 * Cuts a master file into entries and words: blanks, comments, parentheses that join lines, quoted strings and
 * escapes (RFC 1035 §5.1). One pass, character by character; a word is a slice of the text and nothing is copied.
 */
export class Scanner {
  /** The words of the entry, quotes taken off, escapes as they stand. */
  readonly words: string[] = [];
  /** The line at which the entry begins. */
  line = 0;
  /** The entry begins with a blank: its owner is the one before. */
  blank = false;
  fault: { message: string; at: number } | undefined;
  private readonly starts: number[] = [];
  private readonly quotes: boolean[] = [];
  private position = 0;
  private lines = 1;
  private lineStart = 0;
  private entryStart = 0;

  constructor(
    private readonly text: string,
    private readonly longest: number,
  ) {}

  /** Goes to the next entry that has words; false at the end. */
  next(): boolean {
    const { text } = this;
    const end = text.length;
    while (this.position < end) {
      this.words.length = 0;
      this.starts.length = 0;
      this.quotes.length = 0;
      this.fault = undefined;
      this.line = this.lines;
      this.entryStart = this.lineStart = this.position;
      const head = text.charCodeAt(this.position);
      this.blank = head === 32 || head === 9;
      this.entry();
      if (this.words.length || this.fault) {
        if (!this.words.length) this.push('', this.entryStart, false);
        return true;
      }
    }
    return false;
  }

  /** Line and column of a word of the entry. */
  place(word: number): { line: number; column: number } {
    const at = this.starts[Math.max(0, Math.min(word, this.starts.length - 1))] ?? this.entryStart;
    let line = this.line;
    let from = this.entryStart;
    for (let i = this.text.indexOf('\n', from); i >= 0 && i < at; i = this.text.indexOf('\n', from)) {
      line++;
      from = i + 1;
    }
    return { line, column: at - from + 1 };
  }

  quoted = (word: number) => this.quotes[word] === true;

  private entry(): void {
    const { text } = this;
    const end = text.length;
    let at = this.position;
    let depth = 0;
    while (at < end) {
      const c = text.charCodeAt(at);
      if (c === 10) {
        at++;
        this.lines++;
        this.lineStart = at;
        if (depth === 0) break;
        continue;
      }
      if (c === 32 || c === 9 || c === 13) {
        at++;
        continue;
      }
      if (c === 59) {
        const stop = text.indexOf('\n', at);
        at = stop < 0 ? end : stop;
        continue;
      }
      if (at - this.lineStart > this.longest) {
        at = this.skip(at, `the line is longer than ${this.longest} characters`, at);
        break;
      }
      if (c === 40) {
        depth++;
        at++;
      } else if (c === 41) {
        if (depth === 0) {
          this.push(')', at, false);
          at = this.skip(at, 'a closing parenthesis without an opening one', at);
          break;
        }
        depth--;
        at++;
      } else if (c === 34) {
        const close = this.closing(at + 1);
        if (close < 0) {
          this.push('"', at, false);
          at = this.skip(at, 'the quotation mark is not closed on its line', at);
          break;
        }
        this.push(text.slice(at + 1, close), at, true);
        at = close + 1;
      } else {
        const start = at;
        at += this.escapes(at) ? 2 : 1;
        for (; at < end; at++) {
          const w = text.charCodeAt(at);
          if (w === 92 && this.escapes(at)) at++;
          else if (w <= 32 || w === 59 || w === 40 || w === 41 || w === 34) break;
        }
        if (at > end) at = end;
        this.push(text.slice(start, at), start, false);
      }
    }
    if (depth > 0 && !this.fault) this.fault = { message: 'the opening parenthesis is never closed', at: 0 };
    this.position = at;
  }

  /** Whether a backslash stands there that takes the next character with it. The end of a line ends the line all the same. */
  private escapes(at: number): boolean {
    return this.text.charCodeAt(at) === 92 && this.text.charCodeAt(at + 1) !== 10;
  }

  private push(word: string, start: number, quoted: boolean): void {
    this.words.push(word);
    this.starts.push(start);
    if (quoted) this.quotes[this.words.length - 1] = true;
  }

  /** The quotation mark that closes one opened before `from`, on the same line. */
  private closing(from: number): number {
    const { text } = this;
    for (let at = from; at < text.length && at - from <= this.longest; at++) {
      const c = text.charCodeAt(at);
      if (c === 92 && this.escapes(at)) at++;
      else if (c === 34) return at;
      else if (c === 10) return -1;
    }
    return -1;
  }

  /** Leaves the rest of the line out, and says why. */
  private skip(from: number, message: string, at: number): number {
    if (this.starts.at(-1) !== at) this.push('', at, false);
    this.fault = { message, at: this.words.length - 1 };
    const stop = this.text.indexOf('\n', from);
    if (stop < 0) return this.text.length;
    this.lines++;
    this.lineStart = stop + 1;
    return stop + 1;
  }
}
