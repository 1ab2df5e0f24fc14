import { Space } from '../address/space.ts';
import { bits, contains, formatPrefix, overlaps, parsePrefix, type Prefix, prefixRange, type Range } from '../address/parse.ts';
import { privateBlock } from '../address/carve.ts';
import { rangesOf } from '../charter/families.ts';
import { type HostField, hostColumns, otherHostColumns, readRow } from '../hosts/csv.ts';
import type { Charter, Doc, Host, Site } from '../model/documents.ts';
import { kinds } from '../model/documents.ts';
import { applyEdits } from '../model/edit.ts';
import { keyOf } from '../model/estate.ts';
import { issuesOf } from '../model/read.ts';
import { type Blank, type Template, versionOf } from '../model/template.ts';
import { View } from '../reading/index.ts';
import { type Choice, type Column, readTable, type TableRow } from '../table/table.ts';
import { answerFrom, draw, type Drawn } from '../template/draw.ts';
import { counted } from '../words/amounts.ts';
import { blocksText, domainLike, Likeness, type Pattern, patternOf, readBlocks } from './alike.ts';

/** How sites of a table are made. */
export interface Asked {
  text: string;
  /** The site that they are like. */
  like: string;
  /** What that one has of addresses, where it is more than its networks; and where new blocks are carved. As prefixes between blanks. */
  block?: string | undefined;
  within?: string | undefined;
  /** Whether each gets a cluster of the template that the other's cluster came from. */
  cluster?: boolean | undefined;
  columns?: Choice<string> | undefined;
}
/** A site that the table gives. */
export interface NewSite {
  name: string;
  title: string;
  domain: string;
  lines: number[];
  what: 'new' | 'there' | 'wrong';
  faults: { line: number; message: string }[];
  /** Its blocks, and whether they were given or are the next free ones. */
  blocks: string;
  carved: boolean;
  networks: { name: string; prefix: string }[];
  hosts: string[];
  cluster?: { name: string; template: string; version: number; answers: { ask: string; text: string; why?: string }[] };
  docs: Doc[];
}
export interface SitesPreview {
  columns: Column<string>[];
  /** What a column can be read as. */
  fields: readonly string[];
  sites: NewSite[];
  counts: Record<NewSite['what'], number>;
  /** What of the site that they are like they do not get. */
  apart: string[];
  /** The blocks of that site. */
  block: string;
  /** The template of its cluster. */
  template?: { name: string; version: number };
  /** Names of the keyring that the new documents refer to, and none refers to today. */
  credentials: string[];
  fault?: { line: number; message: string };
}

const own = ['site', 'title', 'domain', 'timezone', 'block', 'hosts', 'host'] as const;
const others: Record<string, string> = {
  'site name': 'site',
  'short name': 'site',
  code: 'site',
  name: 'site',
  'long name': 'title',
  'full name': 'title',
  description: 'title',
  location: 'title',
  'time zone': 'timezone',
  tz: 'timezone',
  'dns domain': 'domain',
  'dns zone': 'domain',
  prefix: 'block',
  subnet: 'block',
  supernet: 'block',
  'address block': 'block',
  machines: 'hosts',
  'number of hosts': 'hosts',
  hostname: 'host',
  'host name': 'host',
  server: 'host',
  machine: 'host',
  node: 'host',
};
const hostFields = hostColumns.filter((f) => f !== 'name' && f !== 'site');

/** Questions that a column can answer: all but the one that says which site it is. */
const asked = (questions: readonly Blank[]): { column: string; question: Blank }[] =>
  questions
    .filter((q) => !q.sets.includes('site'))
    .map((question) => {
      const taken = (own as readonly string[]).includes(question.key) || (hostFields as string[]).includes(question.key);
      return { column: taken ? `answer ${question.key}` : question.key, question };
    });

/** Lines of one site, with the line that each of its cells stands in. */
interface Group {
  name: string;
  rows: TableRow<string>[];
  cells: Map<string, { text: string; line: number }>;
  faults: { line: number; message: string }[];
}

/**
 * What a table of sites (RFC 4180) would make; nothing is changed. Each site gets what the one has that it is like: networks at the same
 * places of a block of its own, zones, registries, hosts at the same places of their racks, and a cluster of the same template. A line is a
 * site, or a host of one: lines of the same site belong together.
 *
 * @param view the estate as it stands; columns beside those of sites and hosts answer the questions of the template, by their keys
 */
export function readSites(view: View, { text, like, columns, ...how }: Asked): SitesPreview {
  const wider = readBlocks(how.block ?? '');
  const within = readBlocks(how.within ?? '');
  const pattern = patternOf(view, like, typeof wider === 'string' ? [] : wider);
  const old = how.cluster === false ? undefined : clusterOf(view, like);
  const template = old?.template && view.get('Template', old.template.name);
  const version = template && versionOf(template, template.version);
  const questions = asked(version?.questions ?? []);
  const fields = [...own, ...hostFields, ...questions.map((q) => q.column)];
  const out: SitesPreview = {
    columns: [],
    fields,
    sites: [],
    counts: { new: 0, there: 0, wrong: 0 },
    apart: pattern?.apart ?? [],
    block: blocksText(pattern?.blocks ?? []),
    ...(template ? { template: { name: template.name, version: template.version } } : {}),
    credentials: [],
  };
  const fault = (message: string, line = 1): SitesPreview => ({ ...out, fault: { line, message } });
  if (!pattern) return fault(`there is no site ${like}`);
  if (typeof wider === 'string') return fault(`the block of ${like}: ${wider}`);
  if (typeof within === 'string') return fault(`the block to carve from: ${within}`);
  const around = wider.find((w) => !pattern.blocks.some((b) => b.v === w.v && b.n === w.n && b.length === w.length));
  if (around) return fault(`${formatPrefix(around)} does not hold the networks of ${like}`);
  const plain = Object.fromEntries(questions.map((q) => [q.column.replaceAll('-', ' '), q.column]));
  const table = readTable(text, { fields, others: { ...otherHostColumns, ...others, ...plain }, must: 'site' }, columns);
  out.columns = table.columns;
  if (table.fault) return { ...out, fault: table.fault };

  const groups = grouped(table.rows, questions);
  const taken = takenIn(view);
  const placed = place(groups, pattern, within, taken);
  // First what a cluster follows from: then all clusters are drawn over one estate.
  for (const g of groups.values()) out.sites.push(siteLike(view, pattern, g, placed.get(g.name)));
  const docs = out.sites.flatMap((s) => s.docs);
  refuseTwice(view, out.sites);
  if (template && version && old) {
    const with_ = new View(
      applyEdits(
        view.estate,
        docs.map((doc) => ({ op: 'put', doc })),
      ),
      { once: true },
    );
    const used: Range[] = [];
    for (const s of out.sites) {
      const g = groups.get(s.name);
      if (s.what === 'new' && g) cluster(s, g, { view: with_, pattern, old, template, used, questions });
    }
  }
  refuseTwice(view, out.sites);
  for (const s of out.sites) {
    if (s.faults.length) s.what = 'wrong';
    if (s.what !== 'new') s.docs = [];
    out.counts[s.what]++;
  }
  out.credentials = newCredentials(view, out.sites);
  return out;
}

/** The cluster of a site that came from a template. */
const clusterOf = (view: View, site: string): Charter | undefined =>
  view.by('Charter', 'site', site).find((c) => c.template && view.get('Template', c.template.name));

/** A range, and whose it is. */
interface Taken {
  range: Range;
  of: string;
}
/** Everything that is somebody's already. */
const takenIn = (view: View): Taken[] => [
  ...view.all('Network').map((n) => ({ range: prefixRange(parsePrefix(n.prefix)), of: `${n.name}, ${n.prefix}` })),
  ...view
    .all('Charter')
    .flatMap((c) => rangesOf(c).map((r) => ({ range: prefixRange(parsePrefix(r.range)), of: `${c.name}, ${r.range}` }))),
];

/** Lines by their site. What is said of a site itself stands in any of its lines, and in none otherwise. */
function grouped(rows: readonly TableRow<string>[], questions: readonly { column: string }[]): Map<string, Group> {
  const groups = new Map<string, Group>();
  const ofSite = [...own.filter((f) => f !== 'site' && f !== 'host'), ...questions.map((q) => q.column)];
  for (const row of rows) {
    const name = (row.cell('site') ?? '').toLowerCase();
    const g: Group = groups.get(name) ?? { name, rows: [], cells: new Map(), faults: [] };
    groups.set(name, g);
    g.rows.push(row);
    if (row.wrong) g.faults.push({ line: row.line, message: row.wrong });
    for (const f of ofSite) {
      const text = row.cell(f);
      if (!text) continue;
      const before = g.cells.get(f);
      if (!before) g.cells.set(f, { text, line: row.line });
      else if (before.text !== text)
        g.faults.push({ line: row.line, message: `${f} is ${before.text} in line ${before.line}, and ${text} here` });
    }
  }
  return groups;
}

/** A block for each site: as its lines say, or the next free one of the same length. */
function place(
  groups: ReadonlyMap<string, Group>,
  pattern: Pattern,
  within: readonly Prefix[],
  standing: readonly Taken[],
): Map<string, { blocks: Prefix[]; carved: boolean }> {
  const out = new Map<string, { blocks: Prefix[]; carved: boolean }>();
  const taken = [...standing];
  for (const g of groups.values()) {
    const cell = g.cells.get('block');
    if (!cell) continue;
    const blocks = readBlocks(cell.text);
    const say = (message: string) => g.faults.push({ line: cell.line, message: `block: ${message}` });
    if (typeof blocks === 'string') say(blocks);
    else {
      for (const b of blocks) {
        const need = pattern.blocks.find((p) => p.v === b.v);
        if (need && b.length > need.length)
          say(`${formatPrefix(b)} is smaller than the block of ${pattern.site.name}, a /${need.length}`);
        else {
          const other = taken.find((t) => overlaps(t.range, prefixRange(b)));
          if (other) say(`${formatPrefix(b)} overlaps that of ${other.of}`);
        }
      }
      taken.push(...blocks.map((b) => ({ range: prefixRange(b), of: g.name })));
      out.set(g.name, { blocks, carved: false });
    }
  }
  const next = new Map(
    pattern.blocks.map((p) => [
      p.v,
      carver(
        p,
        within.find((w) => w.v === p.v),
        taken.map((t) => t.range),
      ),
    ]),
  );
  for (const g of groups.values()) {
    const given = out.get(g.name);
    const blocks = pattern.blocks.map((p) => given?.blocks.find((b) => b.v === p.v) ?? next.get(p.v)?.());
    const none = pattern.blocks[blocks.indexOf(undefined)];
    if (none)
      g.faults.push({
        line: g.rows[0]?.line ?? 1,
        message: `no /${none.length} is free in ${formatPrefix(within.find((w) => w.v === none.v) ?? privateBlock(none))}`,
      });
    out.set(g.name, { blocks: blocks.filter((b) => b !== undefined), carved: !given });
  }
  return out;
}

/** Free blocks of the length of one, one after the other: behind it, then before it. */
function carver(near: Prefix, within: Prefix | undefined, taken: readonly Range[]): () => Prefix | undefined {
  const parent = within ?? privateBlock(near);
  const { first, last } = prefixRange(parent);
  const step = 1n << BigInt(bits(near.v) - near.length);
  const space = new Space(parent, { ends: 'free', taken: taken.filter((r) => r.v === near.v) });
  const behind = contains(prefixRange(parent), prefixRange(near)) ? near.n + step : first;
  const parts = [
    { from: behind, to: last },
    { from: first, to: behind - 1n },
  ];
  return () => {
    for (let part = parts[0]; part; parts.shift(), part = parts[0]) {
      const found =
        part.from <= part.to ? space.freeBlock(step, step, { v: near.v, first: part.from, last: part.to }) : undefined;
      if (!found) continue;
      part.from = found.n + step;
      return { ...found, length: near.length };
    }
    return undefined;
  };
}

/** A site with its networks, zones, registries and hosts. */
function siteLike(view: View, pattern: Pattern, g: Group, placed: { blocks: Prefix[]; carved: boolean } | undefined): NewSite {
  const line = g.rows[0]?.line ?? 1;
  const cell = (f: string) => g.cells.get(f)?.text;
  const blocks = placed?.blocks ?? [];
  const given = {
    name: g.name,
    title: cell('title') ?? g.name,
    domain: cell('domain') ?? domainLike(pattern.site, g.name) ?? '',
    timezone: cell('timezone'),
    blocks,
  };
  const s: NewSite = {
    name: g.name,
    title: given.title,
    domain: given.domain,
    lines: g.rows.map((r) => r.line),
    what: view.get('Site', g.name) ? 'there' : 'new',
    faults: g.faults,
    blocks: blocksText(blocks),
    carved: placed?.carved ?? true,
    networks: [],
    hosts: [],
    docs: [],
  };
  if (s.what === 'there') {
    s.faults = [];
    return s;
  }
  if (!g.name) s.faults.push({ line, message: 'the line names no site' });
  if (!given.domain)
    s.faults.push({
      line,
      message: `the domain has to be given: that of ${pattern.site.name} does not have the name of the site`,
    });
  if (s.faults.length) return s;
  const likeness = new Likeness(pattern, given);
  for (const raw of likeness.documents(view.estate.now)) {
    const read = valid(raw);
    if (typeof read === 'string') s.faults.push({ line, message: read });
    else s.docs.push(read);
  }
  s.networks = s.docs.flatMap((d) => (d.kind === 'Network' ? [{ name: d.name, prefix: d.prefix }] : []));
  const site = s.docs.find((d): d is Site => d.kind === 'Site');
  if (site)
    for (const { host, at } of hostsOf(g, likeness, site, view.estate.now))
      if (typeof host === 'string') s.faults.push({ line: at, message: host });
      else {
        s.docs.push(host);
        s.hosts.push(host.name);
      }
  return s;
}

function valid(raw: Doc): Doc | string {
  const schema = kinds[raw.kind];
  const read = schema.safeParse(raw);
  if (read.success) return read.data as Doc;
  const [issue] = issuesOf(read.error, schema);
  return `${raw.kind} ${keyOf(raw)}: ${issue?.path.join('.') ?? ''}: ${issue?.message ?? 'cannot be read'}`;
}

/** Its hosts: those that lines name, or as many as are asked for, or as many as the other site has. */
function* hostsOf(g: Group, likeness: Likeness, site: Site, now: string): Generator<{ host: Host | string; at: number }> {
  const said = g.cells.get('hosts');
  const named = g.rows.filter((r) => r.cell('host'));
  const line = said?.line ?? g.rows[0]?.line ?? 1;
  if (said && !/^\d{1,4}$/.test(said.text)) {
    yield { host: `hosts: ${JSON.stringify(said.text)} is not a number of hosts`, at: line };
    return;
  }
  if (said && named.length > Number(said.text))
    yield {
      host: `hosts: ${said.text} are asked for, and ${counted(named.length, 'line names one', 'lines name one')}`,
      at: line,
    };
  const rest = (said ? Number(said.text) : named.length ? 0 : likeness.pattern.hosts.length) - named.length;
  const rows = [...named, ...Array.from({ length: Math.max(0, rest) }, (_, i) => (named.length || i ? undefined : g.rows[0]))];
  for (const [i, row] of rows.entries()) {
    const name = row?.cell('host')?.toLowerCase();
    const before = likeness.host(i, name || undefined);
    // Cells of a machine are those of the line that names it; a line that names none and asks for several says nothing of each.
    const cells = row && (name || rows.length === 1) ? row : undefined;
    const cell = (f: HostField) => (f === 'name' ? before.name : f === 'site' ? site.name : cells?.cell(f));
    yield { host: readRow(cell, before, [site], now, site.name), at: row?.line ?? line };
  }
}

/** A cluster like the one of the pattern, with the answers of its lines, of its estate, and last of the pattern's own. */
function cluster(
  s: NewSite,
  g: Group,
  {
    view,
    pattern,
    old,
    template,
    used,
    questions,
  }: {
    view: View;
    pattern: Pattern;
    old: Charter;
    template: Template;
    used: Range[];
    questions: readonly { column: string; question: Blank }[];
  },
): void {
  const content = versionOf(template, template.version);
  if (!content) return;
  const likeness = new Likeness(pattern, { name: s.name, title: s.title, domain: s.domain, blocks: blocksOf(s) });
  const columnOf = new Map(questions.map((q) => [q.question.key, q.column]));
  const said = questions.flatMap(({ column, question }) => {
    const cell = g.cells.get(column);
    return cell ? [{ question: question.key, answer: cell.text }] : [];
  });
  const as = (text: string) => likeness.text(likeness.name(text));
  const theirs = (old.template?.answers ?? [])
    .filter((a) => columnOf.has(a.question) && !said.some((x) => x.question === a.question))
    .filter((a) => !questions.find((q) => q.question.key === a.question)?.question.sets.includes('name'))
    .map((a) => ({ ...a, answer: as(a.answer) }));
  let given = [...said, ...theirs];
  const drawn = (): Drawn => draw({ name: template.name, ...content }, given, view, { site: s.name, used });
  let made = drawn();
  const lacking = made.answers.filter((a) => a.text === undefined && !a.question.follows?.within);
  if (lacking.length) {
    given = [
      ...given,
      ...lacking.flatMap(({ question }) => {
        const text = answerFrom(question, old);
        return text === undefined ? [] : [{ question: question.key, answer: as(text) }];
      }),
    ];
    made = drawn();
  }
  for (const f of made.faults) {
    const at = f.question ? g.cells.get(columnOf.get(f.question) ?? '') : undefined;
    s.faults.push({ line: at?.line ?? g.rows[0]?.line ?? 1, message: f.message });
  }
  const { charter } = made;
  if (!charter) return;
  used.push(...rangesOf(charter).map((r) => prefixRange(parsePrefix(r.range))));
  s.docs.push(charter);
  s.cluster = {
    name: charter.name,
    template: template.name,
    version: template.version,
    answers: made.answers.map((a) => ({
      ask: a.question.ask,
      text: a.text ?? '',
      ...(a.why ? { why: a.why } : said.some((x) => x.question === a.question.key) ? {} : { why: `as at ${pattern.site.name}` }),
    })),
  };
}
const blocksOf = (s: NewSite): Prefix[] => {
  const read = readBlocks(s.blocks);
  return typeof read === 'string' ? [] : read;
};

/** A document that is there already, or that two of the new sites would have, is nobody's to make. */
function refuseTwice(view: View, sites: readonly NewSite[]): void {
  const owner = new Map<string, string>();
  for (const s of sites) {
    if (s.what !== 'new') continue;
    for (const d of s.docs) {
      const key = `${d.kind} ${keyOf(d)}`;
      const other = owner.get(key);
      const message = view.get(d.kind, keyOf(d))
        ? `${key} is there already`
        : other !== undefined && other !== s.name
          ? `${key} is made for ${other} too`
          : undefined;
      owner.set(key, other ?? s.name);
      if (message && !s.faults.some((f) => f.message === message)) s.faults.push({ line: s.lines[0] ?? 1, message });
    }
  }
}

/** Names of the keyring that only the new documents refer to. */
function newCredentials(view: View, sites: readonly NewSite[]): string[] {
  const of = (d: Doc): string[] =>
    d.kind === 'Registry' && d.credential
      ? [d.credential]
      : d.kind === 'Host' && d.bmc
        ? [d.bmc.credential]
        : d.kind === 'Zone'
          ? [d.key]
          : [];
  const known = new Set([...view.all('Registry'), ...view.all('Host'), ...view.all('Zone')].flatMap(of));
  return [...new Set(sites.flatMap((s) => s.docs.flatMap(of)))].filter((n) => !known.has(n)).sort();
}
