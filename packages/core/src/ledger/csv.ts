import { formatIp, holds, isIp, parseIp, parsePrefix, prefixRange } from '../address/parse.ts';
import { kinds, type Network, type Owner, type Reservation } from '../model/documents.ts';
import { nearest } from '../model/nearest.ts';
import { issuesOf } from '../model/read.ts';
import { fieldIn, macText, readTable, writeTable } from '../table/table.ts';

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

const shape = { fields, others, must: 'address' as const };
export const fieldOf = (header: string): Field | undefined => fieldIn(shape, header);

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
  const table = readTable(text, shape);
  const out: CsvPreview = {
    lines: [],
    columns: table.columns,
    counts: { new: 0, changed: 0, same: 0, wrong: 0 },
    ...(table.fault ? { fault: table.fault } : {}),
  };
  const finder = networkFinder(networks);
  const have = new Map(standing.map((r) => [`${r.network}/${r.address}`, r]));
  const seen = new Map<string, number>();
  for (const { line: own, cell, wrong } of table.rows) {
    const read = wrong ?? readRow(cell, finder, domainOf);
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
        message: `${read.address} is in line ${twice} already`,
      });
      continue;
    }
    seen.set(key, own);
    const before = have.get(key);
    const doc = before ? merged(before, read, table.has) : read;
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

function readRow(
  cell: (f: Field) => string | undefined,
  networkOf: (address: string, name: string | undefined) => Network | string,
  domainOf: (n: Network) => string,
): Reservation | string {
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
    // A note that was typed over several lines is one line in the ledger.
    ...optional('note', cell('note')?.replace(/[ \t]*[\r\n]+[ \t]*/g, ' ')),
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

/** Fields that the table has no column for stay as they are; so does the day since when, where its cell is empty. */
function merged(before: Reservation, read: Reservation, has: (f: Field) => boolean): Reservation {
  const keep: Partial<Reservation> = {};
  for (const f of ['name', 'mac', 'origin', 'since', 'until', 'resting', 'note'] as const)
    if ((!has(f) || (f === 'since' && read.since === undefined)) && before[f] !== undefined)
      Object.assign(keep, { [f]: before[f] });
  const owner =
    has('owner') || has('owner kind') ? { ...read.owner, ...(has('use') ? {} : { use: before.owner.use }) } : before.owner;
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
  return writeTable(fields, rows);
}
