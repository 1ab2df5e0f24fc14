import type { ServedRecord } from '../model/observed.ts';
import type { ZoneProblem } from './master.ts';
import { nameFault } from './names.ts';
import { targetOf } from './record-types.ts';
import { inZone } from './reverse.ts';
import { serialAfter } from './serial.ts';

/** A record, with the line that it stands in where it was read from a file. */
type LintedRecord = ServedRecord & { line?: number };

export interface ZoneLint {
  problems: ZoneProblem[];
  /** How many there are; only the first ones are listed. */
  count: number;
}
const most = 1000;

/**
 * What is wrong with a zone by itself: names outside it, CNAME beside other data (RFC 1034 §3.6.2), targets that
 * are not there, wildcards that a name below them hides (RFC 4592), times that differ within a set (RFC 2181
 * §5.2) or stand far from all others, two names for one PTR, no SOA or NS, a serial that goes back (RFC 1982).
 * `before` is the serial that is served now. Time grows with the number of records.
 */
export function lintZone(zone: string, records: readonly LintedRecord[], before?: number): ZoneLint {
  const out: ZoneLint = { problems: [], count: 0 };
  const say = (
    r: { line?: number } | undefined,
    code: ZoneProblem['code'],
    severity: ZoneProblem['severity'],
    message: string,
  ) => {
    out.count++;
    if (out.problems.length < most) out.problems.push({ line: r?.line ?? 1, column: 1, code, severity, message });
  };
  /** First record of each name; others of it are chained by index, so that a million names need no million lists. */
  const first = new Map<string, number>();
  const next = new Int32Array(records.length).fill(-1);
  for (let i = records.length - 1; i >= 0; i--) {
    const { name } = records[i] as LintedRecord;
    const seen = first.get(name);
    if (seen !== undefined) next[i] = seen;
    first.set(name, i);
  }
  const wildcards: string[] = [];
  const cuts = zoneCuts(zone, records);
  const times = new Map<number, number>();
  const suffix = `.${zone}`;
  for (const [name, start] of first) {
    const head = records[start] as LintedRecord;
    if (name !== zone && !name.endsWith(suffix)) say(head, 'outside', 'stop', `${name} lies outside ${zone}`);
    else if (name.length > 63) {
      const fault = nameFault(name);
      if (fault) say(head, 'name', 'stop', fault);
    }
    if (name.charCodeAt(0) === 42 && name.startsWith('*.')) wildcards.push(name);
    if (next[start] === -1) continue;
    lintSet(name, start, records, next, say);
  }
  for (const r of records) {
    times.set(r.ttl, (times.get(r.ttl) ?? 0) + 1);
    if (r.type === 'DS' && r.name === zone)
      say(r, 'ds', 'stop', `${zone} DS stands at the top of its own zone; it belongs into the zone above`);
    if (r.type === 'NS' && r.name.startsWith('*.'))
      say(r, 'ns', 'stop', `${r.name} delegates with a wildcard, which servers do not do (RFC 4592 §4.2)`);
    const target = targetOf(r.type, r.value);
    if (target === undefined || !(target === zone || target.endsWith(suffix)) || first.has(target)) continue;
    // What lies at or below a delegation is the child's to have; only the address of its own server must be here, as glue.
    const cut = cuts.size ? cutAbove(target, zone, cuts) : undefined;
    if (cut && !(r.type === 'NS' && r.name === cut && target !== cut)) continue;
    if (r.type === 'PTR' || covered(target, zone, first)) continue;
    say(r, 'dangling', r.type === 'NS' ? 'stop' : 'mind', `${r.name} ${r.type} points at ${target}, which is not there`);
  }
  lintWildcards(zone, wildcards, first, records, say);
  lintTimes(times, records, say);
  lintApex(zone, first, next, records, before, say);
  return out;
}

/** Names at which a zone is delegated to another one: those with NS that are not its own. */
function zoneCuts(zone: string, records: readonly LintedRecord[]): ReadonlySet<string> {
  const out = new Set<string>();
  for (const r of records) if (r.type === 'NS' && r.name !== zone && !r.name.startsWith('*.')) out.add(r.name);
  return out;
}
/** The delegation that a name lies at or below, if any. */
function cutAbove(name: string, zone: string, cuts: ReadonlySet<string>): string | undefined {
  for (let at = name; at.length > zone.length; at = at.slice(at.indexOf('.') + 1)) {
    if (cuts.has(at)) return at;
    if (!at.includes('.')) return undefined;
  }
  return undefined;
}

type Say = (
  r: { line?: number } | undefined,
  code: ZoneProblem['code'],
  severity: ZoneProblem['severity'],
  message: string,
) => void;

/** The records of one name, held against each other. */
function lintSet(name: string, start: number, records: readonly LintedRecord[], next: Int32Array, say: Say): void {
  const sets = new Map<string, LintedRecord[]>();
  for (let i = start; i !== -1; i = next[i] as number) {
    const r = records[i] as LintedRecord;
    const list = sets.get(r.type);
    if (list) list.push(r);
    else sets.set(r.type, [r]);
  }
  const alias = sets.get('CNAME')?.[0];
  if (alias && sets.size > 1)
    say(
      alias,
      'cname',
      'stop',
      `${name} is a CNAME and has other data: ${[...sets.keys()].filter((t) => t !== 'CNAME').join(', ')}`,
    );
  else if ((sets.get('CNAME')?.length ?? 0) > 1) say(sets.get('CNAME')?.[1], 'cname', 'stop', `${name} has two CNAME`);
  for (const [type, list] of sets) {
    if (list.length < 2) continue;
    const [a] = list as [LintedRecord];
    const seen = new Set<string>();
    for (const r of list) {
      if (seen.has(r.value)) say(r, 'twice', 'note', `${name} ${type} ${r.value} is listed twice`);
      seen.add(r.value);
      if (r.ttl !== a.ttl && type !== 'RRSIG')
        say(r, 'ttl', 'mind', `${name} ${type} has times ${a.ttl} and ${r.ttl}; the records of a set must agree`);
    }
    if (type === 'PTR' && seen.size > 1)
      say(list[1], 'pair', 'mind', `${name} answers ${seen.size} names: ${[...seen].slice(0, 3).join(', ')}`);
  }
}

/** A wildcard of the zone stands for the name, unless a name between hides it (RFC 4592 §2.2.1). */
function covered(name: string, zone: string, first: ReadonlyMap<string, number>): boolean {
  for (let at = name.indexOf('.'); at >= 0; at = name.indexOf('.', at + 1)) {
    const parent = name.slice(at + 1);
    if (first.has(`*.${parent}`)) return true;
    if (first.has(parent) || !inZone(parent, zone)) return false;
  }
  return false;
}

/** Names below a wildcard hide it for themselves and for all below them. */
function lintWildcards(
  zone: string,
  wildcards: readonly string[],
  first: ReadonlyMap<string, number>,
  records: readonly LintedRecord[],
  say: Say,
): void {
  if (!wildcards.length) return;
  const stars = new Set(wildcards.map((w) => w.slice(2)));
  const hidden = new Map<string, string[]>();
  for (const name of first.keys())
    for (let at = name.indexOf('.'); at >= 0; at = name.indexOf('.', at + 1)) {
      const parent = name.slice(at + 1);
      if (parent.length < zone.length) break;
      if (stars.has(parent) && !name.startsWith('*.')) {
        const list = hidden.get(parent);
        if (list) list.push(name);
        else hidden.set(parent, [name]);
      }
    }
  for (const [parent, names] of hidden) {
    const r = records[first.get(`*.${parent}`) as number];
    say(
      r,
      'wildcard',
      'note',
      `*.${parent} does not answer for ${names.slice(0, 3).join(', ')}${names.length > 3 ? ` and ${names.length - 3} more` : ''}: a name of its own hides it`,
    );
  }
}

/** Times that stand a hundredfold away from what nearly all records have. */
function lintTimes(times: ReadonlyMap<number, number>, records: readonly LintedRecord[], say: Say): void {
  if (records.length < 20 || times.size < 2) return;
  const [usual = 0, count = 0] = [...times].sort((a, b) => b[1] - a[1])[0] ?? [];
  if (count < records.length * 0.5) return;
  const far = new Set([...times.keys()].filter((t) => t * 100 < usual || t > usual * 100));
  if (far.size)
    for (const r of records)
      if (far.has(r.ttl) && r.type !== 'SOA')
        say(r, 'ttl', 'note', `${r.name} ${r.type} has the time ${r.ttl} s; most have ${usual} s`);
}

function lintApex(
  zone: string,
  first: ReadonlyMap<string, number>,
  next: Int32Array,
  records: readonly LintedRecord[],
  before: number | undefined,
  say: Say,
): void {
  const apex: LintedRecord[] = [];
  for (let i = first.get(zone) ?? -1; i !== -1; i = next[i] as number) apex.push(records[i] as LintedRecord);
  const soas = apex.filter((r) => r.type === 'SOA');
  if (soas.length !== 1)
    say(soas[1] ?? apex[0], 'soa', 'stop', soas.length ? `${zone} has ${soas.length} SOA; one is allowed` : `${zone} has no SOA`);
  if (!apex.some((r) => r.type === 'NS')) say(apex[0], 'ns', 'stop', `${zone} names no server: an NS record is missing`);
  const serial = Number(soas[0]?.value.split(' ')[2] ?? Number.NaN);
  if (before !== undefined && soas.length === 1 && serial !== before && !serialAfter(serial, before))
    say(soas[0], 'serial', 'stop', `serial ${serial} goes back: ${before} is served, and the others would not take the zone`);
}

/** Forward records without a reverse, and the other way round, over all zones given: what no zone shows by itself. */
export function lintPairs(
  zones: readonly { name: string; records: readonly LintedRecord[] }[],
  reverseOf: (address: string) => string,
): (ZoneProblem & { zone: string })[] {
  const out: (ZoneProblem & { zone: string })[] = [];
  const has = (name: string) => zones.some((z) => inZone(name, z.name));
  const back = new Map<string, string[]>();
  const forth = new Set<string>();
  for (const z of zones)
    for (const r of z.records) {
      if (r.type === 'PTR') back.set(r.name, [...(back.get(r.name) ?? []), r.value]);
      else if (r.type === 'A' || r.type === 'AAAA') forth.add(`${reverseOf(r.value)} ${r.name}`);
    }
  for (const z of zones)
    for (const r of z.records) {
      if ((r.type === 'A' || r.type === 'AAAA') && !r.name.startsWith('*.')) {
        const rev = reverseOf(r.value);
        if (has(rev) && !back.get(rev)?.includes(r.name))
          out.push({
            zone: z.name,
            line: r.line ?? 1,
            column: 1,
            code: 'pair',
            severity: 'mind',
            message: back.has(rev)
              ? `${r.value} answers ${back.get(rev)?.join(', ')} and not ${r.name}`
              : `${r.name} has no reverse: ${rev} is not there`,
          });
      } else if (r.type === 'PTR' && has(r.value) && !forth.has(`${r.name} ${r.value}`))
        out.push({
          zone: z.name,
          line: r.line ?? 1,
          column: 1,
          code: 'pair',
          severity: 'mind',
          message: `${r.name} answers ${r.value}, which does not lead back to it`,
        });
    }
  return out;
}
