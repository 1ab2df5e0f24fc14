/** A line that somebody types in a terminal: its text, where the cursor is, and what was typed before. */
export interface Line {
  text: string;
  at: number;
  /** Oldest first. */
  history: readonly string[];
  /** How far back in it one is, from the line that is being typed; 0: at that one. */
  back: number;
  /** What was being typed when one began to go back. */
  kept: string;
}
export const emptyLine = (history: readonly string[] = []): Line => ({ text: '', at: 0, history, back: 0, kept: '' });
/** What a key does beside changing the line. */
export type Does = 'run' | 'stop' | 'clear' | undefined;

const most = 4000;
const put = (l: Line, text: string): Line => {
  const room = text.slice(0, most - l.text.length);
  return { ...l, text: l.text.slice(0, l.at) + room + l.text.slice(l.at), at: l.at + room.length };
};
const cut = (l: Line, from: number, to: number): Line => ({ ...l, text: l.text.slice(0, from) + l.text.slice(to), at: from });
function goBack(l: Line, by: number): Line {
  const back = Math.max(0, Math.min(l.history.length, l.back + by));
  if (back === l.back) return l;
  const kept = l.back === 0 ? l.text : l.kept;
  const text = back === 0 ? kept : (l.history[l.history.length - back] as string);
  return { ...l, back, kept, text, at: text.length };
}
const word = (l: Line): number => l.text.slice(0, l.at).search(/\S+\s*$/);

/** Keys as a terminal sends them (ECMA-48 control sequences, and the control characters of a line discipline). */
const keys: Record<string, (l: Line) => Line> = {
  '\x7f': (l) => (l.at ? cut(l, l.at - 1, l.at) : l),
  '\b': (l) => (l.at ? cut(l, l.at - 1, l.at) : l),
  '\x1b[3~': (l) => cut(l, l.at, l.at + 1),
  '\x1b[D': (l) => ({ ...l, at: Math.max(0, l.at - 1) }),
  '\x1b[C': (l) => ({ ...l, at: Math.min(l.text.length, l.at + 1) }),
  '\x1b[A': (l) => goBack(l, 1),
  '\x1b[B': (l) => goBack(l, -1),
  '\x1b[H': (l) => ({ ...l, at: 0 }),
  '\x01': (l) => ({ ...l, at: 0 }),
  '\x1b[F': (l) => ({ ...l, at: l.text.length }),
  '\x05': (l) => ({ ...l, at: l.text.length }),
  '\x15': (l) => cut(l, 0, l.at),
  '\x0b': (l) => ({ ...l, text: l.text.slice(0, l.at) }),
  '\x17': (l) => (word(l) < 0 ? l : cut(l, word(l), l.at)),
};
const acts: Record<string, Does> = { '\r': 'run', '\x03': 'stop', '\x0c': 'clear' };

/**
 * What input does to a line. Lines that are pasted become one, which is read before it is run: nothing runs because it was in a
 * clipboard.
 */
export function typed(line: Line, data: string): { line: Line; does: Does } {
  if (Object.hasOwn(acts, data)) return { line, does: acts[data] };
  const key = Object.hasOwn(keys, data) ? keys[data] : undefined;
  if (key) return { line: key(line), does: undefined };
  // Another key that means nothing here.
  if (data.startsWith('\x1b')) return { line, does: undefined };
  const text = data
    .replace(/[\r\n]+$/, '')
    .replace(/\s*[\r\n]+\s*/g, ' ')
    .replace(/\p{Cc}/gu, '');
  return { line: text ? { ...put(line, text), back: 0 } : line, does: undefined };
}

/** The next line, once one was run: what was run is in the history, once. */
export const afterRun = (line: Line): Line =>
  emptyLine([...line.history.filter((h) => h !== line.text.trim()), ...(line.text.trim() ? [line.text.trim()] : [])].slice(-200));

/**
 * What draws a line anew in a terminal, over what was drawn of the one before: also where it takes several rows.
 * @param drawn the line as it is drawn now; undefined: nothing of it is
 */
export function redraw(prompt: string, line: Line, columns: number, drawn?: Line): string {
  const cursor = (at: number) => prompt.length + at;
  const up = drawn ? Math.floor(cursor(drawn.at) / columns) : 0;
  const total = cursor(line.text.length);
  const rows = Math.floor(total / columns) - Math.floor(cursor(line.at) / columns);
  const column = cursor(line.at) % columns;
  return [
    up ? `\x1b[${up}A` : '',
    '\r\x1b[J',
    prompt,
    line.text,
    // At the edge the next row begins only with the next character.
    total && total % columns === 0 ? ' \b' : '',
    rows ? `\x1b[${rows}A` : '',
    '\r',
    column ? `\x1b[${column}C` : '',
  ].join('');
}

/**
 * What a program said, without what would steer the terminal: colours stay, everything else that begins with an escape goes. What
 * somebody named a thing in a cluster is no order to the page.
 */
export const harmless = (text: string): string =>
  text
    .replace(strings, '')
    .replace(sequences, (s) => (s.endsWith('m') && colour.test(s) ? s : ''))
    .replace(rest, '');
const esc = '\\u001b';
/** Commands with a text: title, clipboard, links, pictures (OSC, DCS, SOS, PM, APC), also one that never ends. */
const strings = new RegExp(
  `${esc}\\](?:[^\\u0007${esc}]|${esc}(?!\\\\))*(?:\\u0007|${esc}\\\\)?|${esc}[PX^_][\\s\\S]*?(?:${esc}\\\\|$)`,
  'g',
);
const sequences = new RegExp(`${esc}\\[[0-9;:<=>?]*[ -/]*[@-~]`, 'g');
const colour = new RegExp(`^${esc}\\[[0-9;:]*m$`);
/** Whatever else steers: escapes with a letter, escapes without, control characters of both sets but tab and line feed. */
const rest = new RegExp(
  `${esc}(?!\\[)[ -/]*[0-~]|${esc}(?!\\[[0-9;:]*m)|[\\u0000-\\u0008\\u000b\\u000c\\u000e-\\u001a\\u001c-\\u001f\\u007f-\\u009f]`,
  'g',
);
