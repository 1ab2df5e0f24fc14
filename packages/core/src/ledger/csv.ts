import Papa from 'papaparse';
import { formatIp, holds, isIp, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { kinds, type Network, type Owner, type Reservation } from '../model/documents.ts';
import { nearest } from '../model/nearest.ts';
import { issuesOf } from '../model/read.ts';

/** What one line of a table would do to the ledger. */
export interface CsvLine {
  line: number;
  what: 'new' | 'changed' | 'same' | 'wrong';
  address: string;
  /** Why it is wrong, or what changes. */
  message: string;
  doc?: Reservation;
}
export interface CsvPreview {
  lines: CsvLine[];
  /** How the columns were understood, in their order; undefined for one that is not read. */
  columns: { header: string; field: Field | undefined }[];
  /** The whole cannot be read at all. */
  fault?: { line: number; message: string };
  counts: Record<CsvLine['what'], number>;
}

const fields = [
  'address',
  'network',
  'name',
  'mac',
  'owner kind',
  'owner',
  'use',
  'origin',
  'since',
  'until',
  'resting',
  'note',
] as const;
export type Field = (typeof fields)[number];
/** Other words people head such columns with. */
const others: Record<string, Field> = {
  ip: 'address',
  'ip address': 'address',
  ipv4: 'address',
  ipv6: 'address',
  addr: 'address',
  hostname: 'name',
  host: 'name',
  fqdn: 'name',
  'dns name': 'name',
  'mac address': 'mac',
  hwaddr: 'mac',
  'hardware address': 'mac',
  subnet: 'network',
  vlan: 'network',
  contact: 'owner',
  for: 'owner',
  comment: 'note',
  description: 'note',
  expires: 'until',
  expiry: 'until',
  date: 'since',
};

export const csvLimits = { bytes: 20_000_000, rows: 200_000, cell: 2000 } as const;

/** The field that a header stands for: the same word whatever its case, blanks and hyphens; else one people use for it. */
export function fieldOf(header: string): Field | undefined {
  const word = header
    .trim()
    .toLowerCase()
    .replace(/[_\-.\s]+/g, ' ');
  return fields.find((f) => f === word) ?? others[word];
}

/**
 * What a table (RFC 4180; comma, semicolon or tab between the cells) would do to the ledger, line by line. Columns
 * are found by their headers; the network is that of the address where no column names it. Nothing is changed.
 */
export function readCsv(
  text: string,
  networks: readonly Network[],
  standing: readonly Reservation[],
  domainOf: (network: Network) => string = () => '',
): CsvPreview {
  const out: CsvPreview = { lines: [], columns: [], counts: { new: 0, changed: 0, same: 0, wrong: 0 } };
  const fault = (line: number, message: string) => ({ ...out, fault: { line, message } });
  if (text.length > csvLimits.bytes)
    return fault(1, `${text.length} characters; at most ${csvLimits.bytes} are read at once. Split it.`);
  const parsed = Papa.parse<string[]>(text.replace(/^\uFEFF/, ''), {
    skipEmptyLines: false,
    delimitersToGuess: [',', ';', '\t'],
  });
  const [head, ...rows] = parsed.data;
  if (!head || head.every((h) => !h.trim())) return fault(1, 'the first line must name the columns: address, name, mac, owner');
  if (rows.length > csvLimits.rows)
    return fault(1, `${rows.length} lines; at most ${csvLimits.rows} are read at once. Split it.`);
  out.columns = head.map((header) => ({ header, field: fieldOf(header) }));
  const at = new Map<Field, number>();
  for (const [i, c] of out.columns.entries()) if (c.field && !at.has(c.field)) at.set(c.field, i);
  if (!at.has('address')) {
    const near = head.map((h) => nearest(h.trim().toLowerCase(), [...fields])).find((n) => n === 'address');
    return fault(
      1,
      `no column is headed address (there are ${head
        .map((h) => h.trim() || 'one without a name')
        .join(', ')
        .slice(0, 200)})${near ? '; one is nearly so' : ''}`,
    );
  }
  const finder = networkFinder(networks);
  const have = new Map(standing.map((r) => [`${r.network}/${r.address}`, r]));
  const seen = new Map<string, number>();
  let line = 1;
  for (const cells of rows) {
    line += 1;
    const extra = lineBreaks(cells);
    const own = line;
    line += extra;
    if (cells.every((c) => !c.trim())) continue;
    const cell = (f: Field) => {
      const i = at.get(f);
      // A quotation mark before a sign keeps spreadsheets from running the cell as a formula; it is not part of it.
      return i === undefined ? undefined : (cells[i]?.trim().replace(/^'(?=[=+\-@])/, '') ?? '');
    };
    const read = readRow(cell, cells, head.length, finder, domainOf);
    if (typeof read === 'string') {
      out.lines.push({ line: own, what: 'wrong', address: cell('address') ?? '', message: read });
      continue;
    }
    const key = `${read.network}/${read.address}`;
    const twice = seen.get(key);
    if (twice !== undefined) {
      out.lines.push({
        line: own,
        what: 'wrong',
        address: read.address,
        message: `${read.address} stands in line ${twice} already`,
      });
      continue;
    }
    seen.set(key, own);
    const before = have.get(key);
    const doc = before ? merged(before, read, at) : read;
    const differs = before ? changed(before, doc) : [];
    out.lines.push({
      line: own,
      what: before ? (differs.length ? 'changed' : 'same') : 'new',
      address: doc.address,
      message: differs.join(', '),
      doc,
    });
  }
  for (const l of out.lines) out.counts[l.what]++;
  return out;
}

const lineBreaks = (cells: readonly string[]) => cells.reduce((n, c) => n + (c.includes('\n') ? c.split('\n').length - 1 : 0), 0);

function readRow(
  cell: (f: Field) => string | undefined,
  cells: readonly string[],
  width: number,
  networkOf: (address: string, name: string | undefined) => Network | string,
  domainOf: (n: Network) => string,
): Reservation | string {
  if (cells.length > width)
    return `the line has ${cells.length} cells and the head ${width}: is a comma inside a cell without quotation marks?`;
  if (cells.some((c) => c.length > csvLimits.cell)) return `a cell has more than ${csvLimits.cell} characters`;
  const text = cell('address') ?? '';
  if (!isIp(text)) return text ? `${JSON.stringify(text.slice(0, 60))} is not an address` : 'the address is missing';
  const address = formatIp(parseIp(text));
  const network = networkOf(address, cell('network') || undefined);
  if (typeof network === 'string') return network;
  const domain = domainOf(network);
  const name = cell('name')?.toLowerCase();
  const full = name && !name.includes('.') && domain ? `${name}.${domain}` : name;
  const optional = (key: string, value: string | undefined) => (value ? { [key]: value } : {});
  const raw = {
    kind: 'Reservation',
    address,
    network: network.name,
    ...optional('name', full),
    ...optional('mac', macText(cell('mac'))),
    owner: ownerOf(cell),
    origin: cell('origin') || 'imported',
    ...optional('since', cell('since')),
    ...optional('until', cell('until')),
    ...(cell('resting') === 'yes' ? { resting: true } : {}),
    ...optional('note', cell('note')),
  };
  const result = kinds.Reservation.safeParse(raw);
  if (result.success) return result.data;
  const [issue] = issuesOf(result.error, kinds.Reservation);
  return `${issue?.path.join('.') ?? ''}: ${issue?.message ?? 'cannot be read'}`;
}

function ownerOf(cell: (f: Field) => string | undefined): Owner | { kind: string; name: string } {
  const kind = cell('owner kind') || 'hand';
  const use = cell('use');
  return { kind, name: cell('owner') || 'imported', ...(use ? { use } : {}) };
}

/** A MAC as people type it: with hyphens, dots or nothing between the digits. */
export function macText(text: string | undefined): string | undefined {
  if (!text) return undefined;
  const hex = text.replace(/[-:.\s]/g, '').toLowerCase();
  return /^[0-9a-f]{12}$/.test(hex) ? (hex.match(/../g) ?? []).join(':') : text;
}

/** Fields that the table has no column for stay as they are; so does the day since when, where its cell is empty. */
function merged(before: Reservation, read: Reservation, at: ReadonlyMap<Field, number>): Reservation {
  const keep: Partial<Reservation> = {};
  for (const f of ['name', 'mac', 'origin', 'since', 'until', 'resting', 'note'] as const)
    if ((!at.has(f) || (f === 'since' && read.since === undefined)) && before[f] !== undefined)
      Object.assign(keep, { [f]: before[f] });
  const owner =
    at.has('owner') || at.has('owner kind')
      ? { ...read.owner, ...(at.has('use') ? {} : { use: before.owner.use }) }
      : before.owner;
  return { ...read, ...keep, owner };
}

function changed(before: Reservation, after: Reservation): string[] {
  const show = (r: Reservation) => ({
    name: r.name,
    mac: r.mac,
    owner: [r.owner.kind, r.owner.name, r.owner.use ?? ''].join(' '),
    origin: r.origin,
    since: r.since,
    until: r.until,
    resting: r.resting || undefined,
    note: r.note,
  });
  const [a, b] = [show(before), show(after)];
  return (Object.keys(b) as (keyof typeof b)[]).filter((k) => a[k] !== b[k]).map((k) => `${k}: ${a[k] ?? '—'} → ${b[k] ?? '—'}`);
}

/** The network of an address: the one named, or the narrowest that holds it. */
function networkFinder(networks: readonly Network[]) {
  const ranges = networks
    .map((n) => ({ n, r: prefixRange(parsePrefix(n.prefix)) }))
    .sort((a, b) => (a.r.last - a.r.first < b.r.last - b.r.first ? -1 : 1));
  const byName = new Map(networks.map((n) => [n.name, n]));
  return (address: string, name: string | undefined): Network | string => {
    const a = parseIp(address);
    if (name) {
      const n = byName.get(name);
      if (!n) {
        const near = nearest(name, [...byName.keys()]);
        return `there is no network ${name}${near ? `; did you mean ${near}?` : ''}`;
      }
      return holds(prefixRange(parsePrefix(n.prefix)), a) ? n : `${address} does not lie in ${name}, which is ${n.prefix}`;
    }
    return ranges.find(({ r }) => holds(r, a))?.n ?? `${address} lies in no network that is declared`;
  };
}

/** The ledger as a table that reads in again without changing anything. */
export function writeCsv(reservations: readonly Reservation[]): string {
  const rows = reservations.map((r) => [
    r.address,
    r.network,
    r.name ?? '',
    r.mac ?? '',
    r.owner.kind,
    r.owner.name,
    r.owner.use ?? '',
    r.origin,
    r.since ?? '',
    r.until ?? '',
    r.resting ? 'yes' : '',
    r.note ?? '',
  ]);
  return `${Papa.unparse({ fields: [...fields], data: rows }, { newline: '\r\n', escapeFormulae: true })}\r\n`;
}
