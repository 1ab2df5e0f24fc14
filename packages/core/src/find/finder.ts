import { type Sort, sorts, type Thing } from './thing.ts';

interface Row {
  thing: Thing;
  name: string;
  also: string;
  /** Everything that it is found by. */
  all: string;
  sort: number;
  /** Its name with numbers as wide as numbers get: lr-2 before lr-10. */
  key: string;
}
export interface Found {
  things: Thing[];
  /** How many there are in all. */
  of: number;
}

/**
 * A finder over things, made once for an estate; asked at every keystroke. Every word that is typed must be somewhere in a thing.
 * What is called so comes first, then what begins so, then what has an address, a MAC or a serial that begins so, then the rest;
 * among equals the current site first, then the kind of thing, then the name.
 *
 * @example
 * makeFinder(things)('lr-0', 'lr').things[0].name // 'lr-01', not a host of another site or a finding about one
 */
export function makeFinder(things: readonly Thing[]): (typed: string, site?: string, most?: number) => Found {
  // In the order in which equal ones are shown: whatever is found is found in that order, and nothing is sorted at a keystroke.
  const rows = things
    .map((thing): Row => {
      const name = thing.name.toLowerCase();
      const also = thing.also.toLowerCase();
      return {
        thing,
        name,
        also: ` ${also}`,
        all: `${name} ${also} ${thing.hint.toLowerCase()}`,
        sort: sorts.indexOf(thing.sort as Sort),
        key: name.replace(/\d+/g, (d) => d.padStart(9, '0')),
      };
    })
    .sort((x, y) => x.sort - y.sort || x.name.length - y.name.length || (x.key < y.key ? -1 : x.key > y.key ? 1 : 0));
  return (typed, site = '', most = 60) => {
    const text = typed.trim().toLowerCase().replace(/\s+/g, ' ');
    const words = text.split(' ').filter(Boolean);
    const [first = ''] = words;
    if (!first) return { things: [], of: 0 };
    const best: Thing[][] = Array.from({ length: 2 * ranks }, () => []);
    let of = 0;
    for (const row of rows) {
      if (!row.all.includes(first) || (words.length > 1 && !words.every((w) => row.all.includes(w)))) continue;
      of++;
      const elsewhere = site && row.thing.site && row.thing.site !== site ? 1 : 0;
      const list = best[2 * rankOf(row, text, words) + elsewhere] as Thing[];
      if (list.length < most) list.push(row.thing);
    }
    return { things: best.flat().slice(0, most), of };
  };
}

/** How many ranks there are. */
const ranks = 8;
function rankOf(row: Row, text: string, words: string[]): number {
  if (row.name === text) return 0;
  // One letter is no address, and every thing has it somewhere.
  const marked = text.length > 2 && row.also.includes(` ${text}`);
  if (marked && (row.also.endsWith(` ${text}`) || row.also.includes(` ${text} `))) return 1;
  if (row.name.startsWith(text)) return 2;
  if (marked) return 3;
  if (words.every((w) => row.name.startsWith(w) || row.name.includes(` ${w}`))) return 4;
  if (row.name.includes(text)) return 5;
  return words.length > 1 && words.every((w) => row.name.includes(w)) ? 6 : 7;
}
