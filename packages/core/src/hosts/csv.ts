import { isIp } from '../address/parse.ts';
import type { Facts } from '../model/facts.ts';
import { type Host, kinds, type Site } from '../model/documents.ts';
import { issuesOf } from '../model/read.ts';
import { counted, gigabytesText } from '../words/amounts.ts';
import { type Choice, type Column, macText, readTable, writeTable } from '../table/table.ts';
import { zoneOf } from './place.ts';
import { readDisks, readLink, readMemory, readUnit } from './sizes.ts';

const fields = [
  'name',
  'site',
  'rack',
  'unit',
  'height',
  'zone',
  'bmc address',
  'bmc credential',
  'maker',
  'model',
  'serial',
  'arch',
  'cores',
  'memory gib',
  'disks gb',
  'macs',
  'link gbit',
  'firmware',
  'boot mode',
] as const;
type Field = (typeof fields)[number];
export type HostField = Field;
export const hostColumns = fields;
/** What columns of a table are to be read as, by their header. */
export type HostColumns = Choice<Field>;
const shape = {
  fields,
  must: 'name' as const,
  others: {
    host: 'name',
    hostname: 'name',
    'host name': 'name',
    server: 'name',
    location: 'site',
    cabinet: 'rack',
    u: 'unit',
    position: 'unit',
    'rack unit': 'unit',
    'rack position': 'unit',
    slot: 'unit',
    bmc: 'bmc address',
    'bmc ip': 'bmc address',
    'bmc ip address': 'bmc address',
    'oob address': 'bmc address',
    'oob ip': 'bmc address',
    'management address': 'bmc address',
    'management ip': 'bmc address',
    credential: 'bmc credential',
    manufacturer: 'maker',
    vendor: 'maker',
    type: 'model',
    'serial number': 'serial',
    architecture: 'arch',
    'cpu cores': 'cores',
    core: 'cores',
    cpus: 'cores',
    cpu: 'cores',
    'number of cores': 'cores',
    'total cores': 'cores',
    memory: 'memory gib',
    ram: 'memory gib',
    'memory gb': 'memory gib',
    'ram gb': 'memory gib',
    'ram gib': 'memory gib',
    mem: 'memory gib',
    disk: 'disks gb',
    disks: 'disks gb',
    storage: 'disks gb',
    'hard disks': 'disks gb',
    ssd: 'disks gb',
    drives: 'disks gb',
    mac: 'macs',
    'mac address': 'macs',
    'mac addresses': 'macs',
    link: 'link gbit',
    'link speed': 'link gbit',
    nic: 'link gbit',
    network: 'link gbit',
    bios: 'firmware',
    'bios version': 'firmware',
    'firmware version': 'firmware',
    sn: 'serial',
    's/n': 'serial',
    'asset name': 'name',
    node: 'name',
    machine: 'name',
  } as Record<string, Field>,
};

/** Words that people head such columns with, but for those of its name and its site. */
export const otherHostColumns: Readonly<Record<string, string>> = Object.fromEntries(
  Object.entries(shape.others).filter(([, f]) => f !== 'name' && f !== 'site'),
);

/** What one line of a table would do to the hosts. `same machine` names an entry that shares serial, MAC or controller. */
export interface HostLine {
  line: number;
  what: 'new' | 'changed' | 'same' | 'double' | 'wrong';
  name: string;
  message: string;
  /** The entry that is this machine under another name. */
  double?: string;
  doc?: Host;
}
export interface HostPreview {
  columns: (Column<Field> & { reads?: string })[];
  /** What a column can be read as. */
  fields: readonly Field[];
  lines: HostLine[];
  counts: Record<HostLine['what'], number>;
  fault?: { line: number; message: string };
}

/** How the first cell of a column was understood, where it is more than a text. */
function understood(c: Column<Field>): { reads?: string } {
  const { field, sample } = c;
  if (!field || !sample) return {};
  if (field === 'disks gb') {
    const { disks, wrong } = readDisks(sample);
    return {
      reads: wrong
        ? `${wrong} is no size`
        : disks.map((d) => `${gigabytesText(d.sizeGB)}${d.media ? ` ${d.media}` : ''}`).join(' + '),
    };
  }
  if (field === 'memory gib') return { reads: of(readMemory(sample), 'GiB') };
  if (field === 'link gbit') return { reads: of(readLink(sample), 'Gbit/s') };
  if (field === 'unit') return { reads: of(readUnit(sample), '') };
  if (field === 'macs') return { reads: counted(listed(sample).length, 'MAC') };
  return {};
}
const of = (n: number | undefined, unit: string) => (n === undefined ? 'no number' : `${n} ${unit}`.trim());

const archWords: Record<string, string> = { x86_64: 'x86-64', amd64: 'x86-64', x86: 'x86-64', aarch64: 'arm64' };

/**
 * What a table of machines (RFC 4180) would do, line by line; nothing is changed. Columns are found by their headers;
 * cells that a host keeps from elsewhere (its state, its promise, its fingerprint) are left as they are. A line that is a
 * machine we have under another name is told as `double`, and what to do is for whoever imports.
 */
export function readHosts(
  text: string,
  sites: readonly Site[],
  standing: readonly Host[],
  now: string,
  site?: string,
  choice: Choice<Field> = {},
): HostPreview {
  const table = readTable(text, shape, choice);
  const out: HostPreview = {
    columns: table.columns.map((c) => ({ ...c, ...understood(c) })),
    fields,
    lines: [],
    counts: { new: 0, changed: 0, same: 0, double: 0, wrong: 0 },
    ...(table.fault ? { fault: table.fault } : {}),
  };
  const byName = new Map(standing.map((h) => [h.name, h]));
  const marks = new Map<string, string>();
  const note = (h: Host, name: string) => {
    for (const m of marksOf(h)) if (!marks.has(m)) marks.set(m, name);
  };
  for (const h of standing) note(h, h.name);
  const seen = new Map<string, number>();
  for (const { line, cell, wrong } of table.rows) {
    const name = (cell('name') ?? '').toLowerCase();
    const say = (what: HostLine['what'], message: string, more: Partial<HostLine> = {}) =>
      out.lines.push({ line, what, name, message, ...more });
    if (wrong) {
      say('wrong', wrong);
      continue;
    }
    if (seen.has(name)) {
      say('wrong', `${name} is in line ${seen.get(name)} already`);
      continue;
    }
    const before = byName.get(name);
    const read = readRow(cell, before, sites, now, site);
    if (typeof read === 'string') {
      say('wrong', read);
      continue;
    }
    seen.set(name, line);
    const other = marksOf(read)
      .map((m) => ({ m, owner: marks.get(m) }))
      .find((x) => x.owner !== undefined && x.owner !== name);
    if (other) {
      say('double', `${other.m} is ${other.owner}'s`, { double: other.owner as string, doc: read });
      continue;
    }
    note(read, name);
    const differs = before ? differences(before, read) : [];
    say(before ? (differs.length ? 'changed' : 'same') : 'new', differs.join(', '), { doc: read });
  }
  for (const l of out.lines) out.counts[l.what]++;
  return out;
}

const marksOf = (h: Host) => [
  ...(h.facts?.serial ? [`serial ${h.facts.serial}`] : []),
  ...(h.bmc ? [`controller ${h.bmc.address}`] : []),
  ...(h.facts?.nics ?? []).map((n) => `MAC ${n.mac}`),
];

/** A host as a line of a table has it, over the one that is there; a text says what is wrong. @param fallback its site, where no cell says it */
export function readRow(
  cell: (f: Field) => string | undefined,
  before: Host | undefined,
  sites: readonly Site[],
  now: string,
  fallback: string | undefined,
): Host | string {
  const siteName = cell('site')?.toLowerCase() || before?.site || fallback || (sites.length === 1 ? sites[0]?.name : undefined);
  const site = sites.find((s) => s.name === siteName || s.title.toLowerCase() === siteName);
  if (!site) return siteName ? `there is no site ${siteName}` : 'no column names the site';
  const numbers: [Field, string][] = [];
  const number = (f: Field) => {
    const text = cell(f);
    if (!text) return undefined;
    const n = (readers[f] ?? plain)(text);
    if (n === undefined) numbers.push([f, text]);
    return n;
  };
  const rack = cell('rack') || before?.rack;
  const unit = number('unit') ?? before?.unit;
  const height = number('height') ?? before?.height;
  const address = cell('bmc address');
  if (address && !isIp(address)) return `${JSON.stringify(address.slice(0, 40))} is not an address for its controller`;
  const bmc = address
    ? {
        ...(before?.bmc?.address === address ? before.bmc : { address }),
        credential: cell('bmc credential') || before?.bmc?.credential || `bmc-${site.name}`,
      }
    : before?.bmc;
  const facts = readFacts(cell, number, before?.facts, now);
  if (numbers[0]) return `${numbers[0][0]}: ${JSON.stringify(numbers[0][1].slice(0, 40))} is not a number`;
  const noDisk = readDisks(cell('disks gb') ?? '').wrong;
  if (noDisk) return `disks gb: ${JSON.stringify(noDisk.slice(0, 40))} is not a size; write it like 480 GB ssd; 1.9 TB nvme`;
  const zone = cell('zone') || before?.zone || zoneOf(site, rack, unit);
  const { facts: _f, bmc: _b, ...kept } = before ?? {};
  const raw = {
    state: 'listed',
    ...kept,
    kind: 'Host',
    name: (cell('name') ?? '').toLowerCase(),
    site: site.name,
    ...(rack ? { rack } : {}),
    ...(unit === undefined ? {} : { unit }),
    ...(height === undefined ? {} : { height }),
    ...(zone ? { zone } : {}),
    ...(bmc ? { bmc } : {}),
    ...(facts ? { facts } : {}),
  };
  const r = kinds.Host.safeParse(raw);
  if (r.success) return r.data;
  const [issue] = issuesOf(r.error, kinds.Host);
  return `${issue?.path.join('.') ?? ''}: ${issue?.message ?? 'cannot be read'}`;
}

const plain = (text: string): number | undefined => (Number.isFinite(Number(text)) ? Number(text) : undefined);
const readers: Partial<Record<Field, (text: string) => number | undefined>> = {
  unit: readUnit,
  height: readUnit,
  'memory gib': readMemory,
  'link gbit': readLink,
};
const listed = (text: string | undefined) => (text ?? '').split(/[\s,;+|]+/).filter(Boolean);

/** Facts as far as the table tells them. What was read over the controller is not overwritten by what was typed. */
function readFacts(
  cell: (f: Field) => string | undefined,
  number: (f: Field) => number | undefined,
  before: Facts | undefined,
  now: string,
): object | undefined {
  const told = (
    ['maker', 'model', 'serial', 'arch', 'cores', 'memory gib', 'disks gb', 'macs', 'link gbit', 'firmware', 'boot mode'] as const
  ).some((f) => cell(f));
  if (!told || before?.source === 'bmc') return before;
  const arch = cell('arch')?.toLowerCase();
  const speed = number('link gbit') ?? before?.nics[0]?.speedGbit ?? 0;
  const macs = listed(cell('macs'));
  const { disks } = readDisks(cell('disks gb') ?? '');
  const facts = {
    source: 'imported' as const,
    maker: cell('maker') || before?.maker || '',
    model: cell('model') || before?.model || '',
    serial: cell('serial') || before?.serial || '',
    arch: (arch ? (archWords[arch] ?? arch) : before?.arch) || 'x86-64',
    cores: number('cores') ?? before?.cores ?? 0,
    memoryGiB: number('memory gib') ?? before?.memoryGiB ?? 0,
    disks: disks.length
      ? disks.map((d, i) => ({
          ...before?.disks[i],
          bay: before?.disks[i]?.bay ?? `bay ${i + 1}`,
          sizeGB: d.sizeGB,
          media: d.media ?? before?.disks[i]?.media ?? ('ssd' as const),
        }))
      : (before?.disks ?? []),
    nics: macs.length
      ? macs.map((m, i) => ({
          ...before?.nics[i],
          name: before?.nics[i]?.name ?? `eno${i + 1}`,
          mac: macText(m) ?? m,
          speedGbit: speed,
          link: before?.nics[i]?.link ?? speed > 0,
        }))
      : (before?.nics ?? []),
    firmware: { ...before?.firmware, bmc: before?.firmware.bmc ?? '', system: cell('firmware') || before?.firmware.system || '' },
    bootMode: /bios|legacy/i.test(cell('boot mode') ?? '') ? 'BIOS' : cell('boot mode') ? 'UEFI' : (before?.bootMode ?? 'UEFI'),
    power: before?.power ?? ('Off' as const),
  };
  // Typed again with the same content it is the same reading.
  const { at: _, ...old } = before ?? { at: now };
  return {
    ...before,
    ...facts,
    at: before && JSON.stringify(sorted({ ...old, ...facts })) === JSON.stringify(sorted(old)) ? before.at : now,
  };
}
const sorted = (v: unknown): unknown =>
  Array.isArray(v)
    ? v.map(sorted)
    : v && typeof v === 'object'
      ? Object.fromEntries(
          Object.entries(v)
            .sort(([a], [b]) => (a < b ? -1 : 1))
            .map(([k, x]) => [k, sorted(x)]),
        )
      : v;

function rowOf(h: Host): string[] {
  const f = h.facts;
  return [
    h.name,
    h.site,
    h.rack ?? '',
    h.unit === undefined ? '' : String(h.unit),
    h.height === undefined ? '' : String(h.height),
    h.zone ?? '',
    h.bmc?.address ?? '',
    h.bmc?.credential ?? '',
    f?.maker ?? '',
    f?.model ?? '',
    f?.serial ?? '',
    f?.arch ?? '',
    f ? String(f.cores) : '',
    f ? String(f.memoryGiB) : '',
    f?.disks.map((d) => d.sizeGB).join(' ') ?? '',
    f?.nics.map((n) => n.mac).join(' ') ?? '',
    f?.nics[0] ? String(f.nics[0].speedGbit) : '',
    f?.firmware.system ?? '',
    f?.bootMode ?? '',
  ];
}
function differences(before: Host, after: Host): string[] {
  const [a, b] = [rowOf(before), rowOf(after)];
  return fields.flatMap((f, i) => (a[i] === b[i] ? [] : [`${f}: ${a[i] || '—'} → ${b[i] || '—'}`]));
}

/** Hosts as a table that reads in again without changing anything. */
export const writeHosts = (hosts: readonly Host[]): string => writeTable(fields, hosts.map(rowOf));
