import { nearest } from '../model/nearest.ts';
import { counted } from './amounts.ts';

/**
 * The language of filters by facts: words with blanks between them, all of which must hold. `fact:value` or `fact=value`
 * is the same text (several with commas), `fact>=number` compares (units may follow), a leading `-` turns a word round,
 * and a plain word is looked for in what names a thing. Values with blanks stand in double quotes.
 *
 * @example
 * zone:B memory>=64GiB fit:worker state:fit disk.nvme>=2
 */
export interface Filter<T> {
  test: (one: T) => boolean;
  /** What cannot be read, with its place in the text. */
  wrong: { from: number; to: number; message: string }[];
}

/** Something that can be asked of a thing: a text, several, or a number. */
export interface Fact<T> {
  about: string;
  /** Units of a number, each with what it counts in the fact's own unit. */
  units?: Record<string, number>;
  number?: (one: T) => number | undefined;
  text?: (one: T) => string | readonly string[] | undefined;
  /** Values that are offered, where they are not those of the things that are there. */
  values?: readonly string[];
}
export type Facts<T> = Readonly<Record<string, Fact<T>>>;

interface Word {
  text: string;
  from: number;
}
function wordsOf(text: string): Word[] {
  return [...text.matchAll(/(?:[^\s"]|"[^"]*"?)+/g)].map((m) => ({ text: m[0], from: m.index }));
}
const bare = (text: string) => text.replaceAll('"', '').toLowerCase();

/**
 * Reads a filter. What cannot be read is told with its place, and holds nothing back: it is left out.
 * @param names in lower case, what a plain word is looked for in
 */
export function factFilter<T>(text: string, facts: Facts<T>, names: (one: T) => string): Filter<T> {
  const tests: Filter<T>['test'][] = [];
  const wrong: Filter<T>['wrong'] = [];
  for (const w of wordsOf(text)) {
    const not = w.text.startsWith('-') && w.text.length > 1;
    const told = wordTest(not ? w.text.slice(1) : w.text, facts, names);
    if (typeof told === 'string') wrong.push({ from: w.from, to: w.from + w.text.length, message: told });
    else tests.push(not ? (one) => !told(one) : told);
  }
  return { test: (one) => tests.every((t) => t(one)), wrong };
}

function wordTest<T>(word: string, facts: Facts<T>, names: (one: T) => string): Filter<T>['test'] | string {
  const m = /^([a-z][a-z.]*)(>=|<=|>|<|=|:)(.*)$/is.exec(word);
  // A MAC or an IPv6 address has colons too: what begins like one is a plain word.
  if (!m || /^[0-9a-f]{1,4}:[0-9a-f:.]*$/i.test(word)) {
    const sought = bare(word);
    return (one) => names(one).includes(sought);
  }
  const name = (m[1] as string).toLowerCase();
  const op = m[2] as string;
  const value = bare(m[3] as string);
  const fact = Object.hasOwn(facts, name) ? facts[name] : undefined;
  if (!fact) {
    const near = nearest(name, Object.keys(facts));
    return `${name} is no fact${near ? `; did you mean ${near}?` : `; there are ${Object.keys(facts).join(', ')}`}`;
  }
  if (!value) return `${name} lacks a value behind ${op}`;
  if (op === ':' || op === '=') {
    const any = value.split(',');
    if (fact.text) {
      const { text } = fact;
      return (h) => {
        const v = text(h);
        return v !== undefined && (typeof v === 'string' ? [v] : v).some((x) => any.includes(x.toLowerCase()));
      };
    }
    const numbers = any.map((v) => numberIn(v, fact));
    const bad = numbers.indexOf(undefined);
    if (bad >= 0) return notNumber(name, any[bad] as string, fact);
    return (h) => numbers.includes(fact.number?.(h));
  }
  if (!fact.number) return `${name} is a word and cannot be compared; write ${name}:${value}`;
  const limit = numberIn(value, fact);
  if (limit === undefined) return notNumber(name, value, fact);
  const { number } = fact;
  return (h) => {
    const v = number(h);
    return v !== undefined && (op === '>=' ? v >= limit : op === '<=' ? v <= limit : op === '>' ? v > limit : v < limit);
  };
}

const notNumber = (name: string, value: string, { units }: { units?: Record<string, number> }) =>
  `${value} is no number for ${name}${units ? ` (units: ${Object.keys(units).filter(Boolean).join(', ')})` : ''}`;
function numberIn(value: string, { units }: { units?: Record<string, number> }): number | undefined {
  const m = /^(\d+(?:\.\d+)?)([a-z%/]*)$/.exec(value);
  if (!m) return undefined;
  const unit = m[2] ?? '';
  const factor = units ? units[unit] : unit === '' || unit === '%' ? 1 : undefined;
  return factor === undefined ? undefined : Number(m[1]) * factor;
}
export interface Completion {
  /** What stands in place of the word when it is taken, and where that word begins and ends. */
  text: string;
  from: number;
  to: number;
  about: string;
}

/**
 * What could stand at the cursor: facts while one is begun, values of these things behind a `:`. At most twelve.
 * @param noun what one of them is called
 */
export function completeFacts<T>(text: string, cursor: number, all: readonly T[], facts: Facts<T>, noun: string): Completion[] {
  const word = wordsOf(text).find((w) => w.from <= cursor && cursor <= w.from + w.text.length);
  const from = word?.from ?? cursor;
  const to = word ? word.from + word.text.length : cursor;
  const begun = text.slice(from, cursor).toLowerCase();
  const sign = begun.startsWith('-') ? '-' : '';
  const rest = begun.slice(sign.length);
  const m = /^([a-z][a-z.]*)(:|=)(.*)$/.exec(rest);
  if (!m) {
    if (!/^[a-z.]*$/.test(rest)) return [];
    return Object.entries(facts)
      .filter(([name]) => name.startsWith(rest))
      .slice(0, 12)
      .map(([name, f]) => ({ text: `${sign}${name}${f.number && !f.text ? '>=' : ':'}`, from, to, about: f.about }));
  }
  const name = m[1] as string;
  const fact = Object.hasOwn(facts, name) ? facts[name] : undefined;
  const given = (m[3] as string).split(',');
  const last = given.pop() ?? '';
  const values = fact?.values ? new Map(fact.values.map((v) => [v, 0])) : valuesOf(fact, all);
  return [...values]
    .filter(([v]) => v.toLowerCase().startsWith(last) && !given.includes(v.toLowerCase()))
    .sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
    .slice(0, 12)
    .map(([v, n]) => {
      const quoted = /\s/.test(v) ? `"${v}"` : v;
      return {
        text: `${sign}${name}${m[2]}${[...given, quoted].join(',')}`,
        from,
        to,
        about: n ? counted(n, noun) : '',
      };
    });
}

function valuesOf<T>(fact: Fact<T> | undefined, all: readonly T[]): Map<string, number> {
  const count = new Map<string, number>();
  if (fact?.text)
    for (const one of all) {
      const v = fact.text(one);
      for (const x of v === undefined ? [] : typeof v === 'string' ? [v] : v) if (x) count.set(x, (count.get(x) ?? 0) + 1);
    }
  return count;
}
