import { counted } from '../words/amounts.ts';
import type { Host } from '../model/documents.ts';
import { nearest } from '../model/nearest.ts';
import type { Fitness } from './fitness.ts';

/**
 * The language of host filters: words with blanks between them, all of which must hold. `fact:value` or `fact=value`
 * is the same text (several with commas), `fact>=number` compares (units may follow), a leading `-` turns a word round,
 * and a plain word is looked for in name, serial, addresses and MACs. Values with blanks stand in double quotes.
 *
 * @example
 * zone:B memory>=64GiB fit:worker state:fit disk.nvme>=2
 */
export interface HostFilter {
  test: (host: Host) => boolean;
  /** What cannot be read, with its place in the text. */
  wrong: { from: number; to: number; message: string }[];
}

interface Fact {
  about: string;
  /** Units of a number, each with what it counts in the fact's own unit. */
  units?: Record<string, number>;
  number?: (h: Host) => number | undefined;
  text?: (h: Host) => string | readonly string[] | undefined;
}
const bytes = { '': 1, gib: 1, gb: 1, tib: 1024, tb: 1000, mib: 1 / 1024 };
const gb = { '': 1, gb: 1, gib: 1.073741824, tb: 1000, tib: 1099.511627776 };
const gbit = { '': 1, gbit: 1, 'gbit/s': 1, g: 1, mbit: 0.001 };
const disksOf = (media: string) => (h: Host) => h.facts?.disks.filter((d) => d.media === media).length;
const largest = (list: number[] | undefined) => (list?.length ? Math.max(...list) : undefined);

/** Every fact that can be asked. A new one is a line here, and completion knows it. */
export const hostFacts: Record<string, Fact> = {
  name: { about: 'its name', text: (h) => h.name },
  site: { about: 'site', text: (h) => h.site },
  zone: { about: 'failure domain', text: (h) => h.zone },
  rack: { about: 'rack', text: (h) => h.rack },
  unit: { about: 'lowest unit', number: (h) => h.unit },
  state: { about: 'state', text: (h) => h.state },
  cluster: { about: 'charter it is held for', text: (h) => h.held?.charter },
  role: { about: 'role it is held for', text: (h) => h.held?.role },
  fit: { about: 'role it fits' },
  cores: { about: 'processor cores', number: (h) => h.facts?.cores },
  memory: { about: 'memory, GiB', units: bytes, number: (h) => h.facts?.memoryGiB },
  disks: { about: 'number of drives', number: (h) => h.facts?.disks.length },
  disk: { about: 'largest drive, GB', units: gb, number: (h) => largest(h.facts?.disks.map((d) => d.sizeGB)) },
  'disk.nvme': { about: 'number of NVMe drives', number: disksOf('nvme') },
  'disk.ssd': { about: 'number of SSDs', number: disksOf('ssd') },
  'disk.hdd': { about: 'number of hard disks', number: disksOf('hdd') },
  'disk.life': {
    about: 'least endurance left, %',
    number: (h) => {
      const l = h.facts?.disks.flatMap((d) => d.lifeLeft ?? []);
      return l?.length ? Math.min(...l) : undefined;
    },
  },
  link: {
    about: 'fastest link, Gbit/s',
    units: gbit,
    number: (h) => largest(h.facts?.nics.filter((n) => n.link).map((n) => n.speedGbit)),
  },
  links: { about: 'adapters with a link', number: (h) => h.facts?.nics.filter((n) => n.link).length },
  arch: { about: 'architecture', text: (h) => h.facts?.arch },
  boot: { about: 'boot mode', text: (h) => h.facts?.bootMode },
  power: { about: 'on or off', text: (h) => h.facts?.power },
  health: { about: 'health', text: (h) => h.facts?.health },
  maker: { about: 'maker', text: (h) => h.facts?.maker },
  model: { about: 'model', text: (h) => h.facts?.model },
  serial: { about: 'serial', text: (h) => h.facts?.serial },
  mac: { about: 'a MAC', text: (h) => h.facts?.nics.map((n) => n.mac) },
  bmc: { about: 'address of its controller', text: (h) => h.bmc?.address },
  firmware: { about: 'system firmware', text: (h) => h.facts?.firmware.system },
  hypervisor: { about: 'hypervisor a guest is on', text: (h) => h.guest?.hypervisor },
  mould: { about: 'mould a guest is cast from', text: (h) => h.guest?.mould },
  is: {
    about: 'guest, metal, drained or measured',
    text: (h) => [h.guest ? 'guest' : 'metal', ...(h.drained ? ['drained'] : []), ...(h.facts ? ['measured'] : [])],
  },
};

interface Word {
  text: string;
  from: number;
}
function wordsOf(text: string): Word[] {
  return [...text.matchAll(/(?:[^\s"]|"[^"]*"?)+/g)].map((m) => ({ text: m[0], from: m.index }));
}
const bare = (text: string) => text.replaceAll('"', '').toLowerCase();

/** Reads a filter. What cannot be read is told with its place, and holds nothing back: it is left out. */
export function hostFilter(text: string, judge: (host: Host) => Fitness[]): HostFilter {
  const tests: HostFilter['test'][] = [];
  const wrong: HostFilter['wrong'] = [];
  for (const w of wordsOf(text)) {
    const not = w.text.startsWith('-') && w.text.length > 1;
    const told = wordTest(not ? w.text.slice(1) : w.text, judge);
    if (typeof told === 'string') wrong.push({ from: w.from, to: w.from + w.text.length, message: told });
    else tests.push(not ? (h) => !told(h) : told);
  }
  return { test: (h) => tests.every((t) => t(h)), wrong };
}

function wordTest(word: string, judge: (host: Host) => Fitness[]): HostFilter['test'] | string {
  const m = /^([a-z][a-z.]*)(>=|<=|>|<|=|:)(.*)$/is.exec(word);
  // A MAC or an IPv6 address has colons too: what begins like one is a plain word.
  if (!m || /^[0-9a-f]{1,4}:[0-9a-f:.]*$/i.test(word)) {
    const sought = bare(word);
    return (h) => haystack(h).includes(sought);
  }
  const name = (m[1] as string).toLowerCase();
  const op = m[2] as string;
  const value = bare(m[3] as string);
  const fact = Object.hasOwn(hostFacts, name) ? (hostFacts[name] as Fact) : undefined;
  if (!fact) {
    const near = nearest(name, Object.keys(hostFacts));
    return `${name} is no fact${near ? `; did you mean ${near}?` : `; there are ${Object.keys(hostFacts).join(', ')}`}`;
  }
  if (!value) return `${name} lacks a value behind ${op}`;
  if (name === 'fit') {
    const roles = value.split(',');
    return (h) => judge(h).some((f) => f.fits && roles.includes(f.role));
  }
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

const notNumber = (name: string, value: string, fact: Fact) =>
  `${value} is no number for ${name}${fact.units ? ` (units: ${Object.keys(fact.units).filter(Boolean).join(', ')})` : ''}`;
function numberIn(value: string, fact: Fact): number | undefined {
  const m = /^(\d+(?:\.\d+)?)([a-z%/]*)$/.exec(value);
  if (!m) return undefined;
  const unit = m[2] ?? '';
  const factor = fact.units ? fact.units[unit] : unit === '' || unit === '%' ? 1 : undefined;
  return factor === undefined ? undefined : Number(m[1]) * factor;
}
const haystack = (h: Host) =>
  `${h.name} ${h.facts?.serial ?? ''} ${h.bmc?.address ?? ''} ${h.facts?.nics.map((n) => n.mac).join(' ') ?? ''}`.toLowerCase();

export interface Completion {
  /** What stands in place of the word when it is taken, and where that word begins and ends. */
  text: string;
  from: number;
  to: number;
  about: string;
}

/** What could stand at the cursor: facts while one is begun, values of these hosts behind a `:`. At most twelve. */
export function complete(text: string, cursor: number, hosts: readonly Host[], roles: readonly string[]): Completion[] {
  const word = wordsOf(text).find((w) => w.from <= cursor && cursor <= w.from + w.text.length);
  const from = word?.from ?? cursor;
  const to = word ? word.from + word.text.length : cursor;
  const begun = text.slice(from, cursor).toLowerCase();
  const sign = begun.startsWith('-') ? '-' : '';
  const rest = begun.slice(sign.length);
  const m = /^([a-z][a-z.]*)(:|=)(.*)$/.exec(rest);
  if (!m) {
    if (!/^[a-z.]*$/.test(rest)) return [];
    return Object.entries(hostFacts)
      .filter(([name]) => name.startsWith(rest))
      .slice(0, 12)
      .map(([name, f]) => ({ text: `${sign}${name}${f.number && !f.text ? '>=' : ':'}`, from, to, about: f.about }));
  }
  const name = m[1] as string;
  const fact = Object.hasOwn(hostFacts, name) ? (hostFacts[name] as Fact) : undefined;
  const given = (m[3] as string).split(',');
  const last = given.pop() ?? '';
  const values = name === 'fit' ? new Map(roles.map((r) => [r, 0])) : valuesOf(fact, hosts);
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
        about: n ? `${counted(n, 'host')}` : '',
      };
    });
}

function valuesOf(fact: Fact | undefined, hosts: readonly Host[]): Map<string, number> {
  const count = new Map<string, number>();
  if (fact?.text)
    for (const h of hosts) {
      const v = fact.text(h);
      for (const x of v === undefined ? [] : typeof v === 'string' ? [v] : v) if (x) count.set(x, (count.get(x) ?? 0) + 1);
    }
  return count;
}
