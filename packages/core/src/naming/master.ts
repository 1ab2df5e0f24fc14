import type { ServedRecord } from '../model/observed.ts';
import { absoluteName, nameFault, plainName } from './names.ts';
import { readData, recordTypes, seconds, unknownType, type Words } from './record-types.ts';
import { Scanner } from './scan.ts';

/** A record as it stands in a master file, with the line it began at. */
export interface MasterRecord extends ServedRecord {
  line: number;
}

/** What is wrong with a file or a zone. Codes are a closed set; words come last. */
export interface ZoneProblem {
  line: number;
  column: number;
  code:
    | 'syntax'
    | 'include'
    | 'directive'
    | 'class'
    | 'type'
    | 'name'
    | 'address'
    | 'value'
    | 'ttl'
    | 'limit'
    | 'outside'
    | 'cname'
    | 'dangling'
    | 'wildcard'
    | 'soa'
    | 'ds'
    | 'ns'
    | 'twice'
    | 'pair'
    | 'serial';
  severity: 'stop' | 'mind' | 'note';
  message: string;
}

export interface MasterFile {
  records: MasterRecord[];
  problems: ZoneProblem[];
  /** How many problems there are; only the first ones are listed. */
  problemCount: number;
}

export const masterLimits = { line: 64_000, records: 5_000_000, problems: 1000 } as const;

const classes = new Set(['IN', 'CH', 'HS', 'CS']);

/**
 * Reads a master file (RFC 1035 §5, with $TTL of RFC 2308 and unknown types of RFC 3597). Names come out
 * absolute, in lower case and without the final dot. Every fault is collected with its line and column; the
 * record it stands in is left out, and nothing else. $INCLUDE is refused: a zone that is uploaded must not read
 * files of this machine.
 */
export function readMaster(text: string, origin: string, defaultTtl = 3600): MasterFile {
  const out: MasterFile = { records: [], problems: [], problemCount: 0 };
  const scan = new Scanner(text, masterLimits.line);
  let base = plainName(origin);
  let ttl: number | undefined;
  /** The last time that was stated, and before any the minimum of the SOA (RFC 1035 §5.1, RFC 2308 §4). */
  let lastTtl: number | undefined;
  let minimum: number | undefined;
  let owner: string | undefined;
  /** The same owner and target texts come over and over: made absolute once. */
  let seenText = '';
  let seenName = '';
  const problem = (code: ZoneProblem['code'], message: string, at = 0, severity: ZoneProblem['severity'] = 'stop') => {
    out.problemCount++;
    if (out.problems.length < masterLimits.problems) out.problems.push({ ...scan.place(at), code, severity, message });
  };
  const absolute = (word: string): string => {
    if (word === seenText) return seenName;
    const name = absoluteName(word, base);
    seenText = word;
    seenName = name;
    return name;
  };
  /** The words of the data of the entry that is being read: those from `from` on. */
  let from = 0;
  const data: Words = {
    get length() {
      return scan.words.length - from;
    },
    word: (i) => scan.words[from + i] as string,
    quoted: (i) => scan.quoted(from + i),
  };
  while (scan.next()) {
    const words = scan.words;
    if (scan.fault) {
      problem('syntax', scan.fault.message, scan.fault.at);
      continue;
    }
    const first = words[0] as string;
    if (first.charCodeAt(0) === 36 && !scan.blank) {
      const directive = first.toUpperCase();
      if (directive === '$ORIGIN') {
        const fault = words[1] === undefined ? '$ORIGIN needs a name' : nameFault(absolute(words[1]));
        if (fault) problem('name', fault, 1);
        else base = absolute(words[1] as string);
        seenText = '';
      } else if (directive === '$TTL') {
        const value = seconds(words[1] ?? '');
        if (value === undefined) problem('ttl', `${words[1] ?? 'nothing'} is not a time in seconds`, 1);
        else ttl = value;
      } else if (directive === '$INCLUDE')
        problem('include', `$INCLUDE ${words[1] ?? ''} is not followed: put the content here; other files are not read`);
      else problem('directive', `${first} is not known; $ORIGIN and $TTL are`);
      continue;
    }
    let at = 0;
    if (!scan.blank) {
      const name = absolute(first);
      const fault = nameFault(name);
      owner = fault ? undefined : name;
      if (fault) {
        problem('name', fault);
        continue;
      }
      at = 1;
    }
    if (owner === undefined) {
      problem('name', 'the line begins with a blank, but there is no name before it to go on with');
      continue;
    }
    let own: number | undefined;
    let type = '';
    for (; at < words.length; at++) {
      const word = words[at] as string;
      const code = word.charCodeAt(0);
      if (own === undefined && code >= 48 && code <= 57) {
        own = seconds(word);
        if (own === undefined) break;
        continue;
      }
      const upper = word.toUpperCase();
      if (upper === 'IN') continue;
      if (classes.has(upper)) {
        type = '-';
        problem('class', `class ${upper} is not kept: only IN is`, at);
        break;
      }
      type = upper;
      at++;
      break;
    }
    if (type === '-') continue;
    if (!type) {
      problem('type', `${owner} has no type${at < words.length ? `: ${words[at]} is neither a time nor a type` : ''}`, at);
      continue;
    }
    if (!Object.hasOwn(recordTypes, type) && !unknownType.test(type)) {
      problem('type', `${type} is not a type of record that is known`, at - 1);
      continue;
    }
    from = at;
    const value = readData(type, data, absolute);
    if (typeof value !== 'string') {
      problem(value.code, value.message, Math.min(at + value.at, words.length - 1));
      continue;
    }
    if (own !== undefined) lastTtl = own;
    if (out.records.length >= masterLimits.records) {
      problem('limit', `more than ${masterLimits.records} records`);
      break;
    }
    if (type === 'SOA') minimum ??= Number(value.slice(value.lastIndexOf(' ') + 1));
    out.records.push({ name: owner, type, ttl: own ?? ttl ?? lastTtl ?? minimum ?? defaultTtl, value, line: scan.line });
  }
  return out;
}
