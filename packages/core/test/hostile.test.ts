import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse as parseToml } from 'smol-toml';
import { describe, expect, it } from 'vitest';
import { parse as parseYaml } from 'yaml';
import { resolve } from '../src/charter/index.ts';
import { bootKit, type KitContext, placeholder } from '../src/files/index.ts';
import { domainOf, domainXml, readDomain, writeHosts } from '../src/hosts/index.ts';
import { dhcpNetworks, dnsmasqConf, keaJson, writeCsv } from '../src/ledger/index.ts';
import {
  type Doc,
  emptyEstate,
  type Estate,
  type Kind,
  keyOf,
  kinds,
  readDocuments,
  sliceOf,
  writeDocument,
} from '../src/model/index.ts';
import { plannedRecords, readMaster, recordsOfZone, zoneFile } from '../src/naming/index.ts';
import Papa from 'papaparse';

/**
 * Every free field of every kind is given text that somebody hostile would type or a device would tell. What the schema
 * takes is written into every file there is, and each file is read with a parser of its format: it must have the same
 * parts as without that text, and not one more.
 */
const demo = join(import.meta.dirname, '../../../demo/estate');
const docs = readdirSync(demo).flatMap((f) => readDocuments(readFileSync(join(demo, f), 'utf8'), f).docs.map((d) => d.doc));
const hostile = [
  'eno1\n notify "/bin/sh -c reboot"',
  'x\nb A 6.6.6.6',
  '$INCLUDE /etc/passwd',
  '$(reboot)',
  '`reboot`',
  '"; reboot; "',
  "'; reboot; '",
  'a: {b: c}',
  '- a\n- b',
  '# comment',
  '; comment',
  '| cell | cell |',
  '[x](http://evil.example) <script>',
  '"]\n[host."https://evil.example"]\n#',
  '\\',
  '\\" evil="x',
  ['%s %% ', '{HOME} ', 'HOME'].join('$'),
  '*anchor &anchor !!js',
  '--- x',
  'a\u0000b',
  'a\u2028b',
  'a\rb',
  '\ud800',
  '=cmd|x',
  ', , ,',
  'x=y',
  'ssh-ed25519 AAAA x\ncommand="/bin/sh" ssh-ed25519 AAAA',
  '../../etc/passwd',
  'ünï 漢',
];

/** Hosts as the room will have them: the demonstration lists them only when somebody does. */
function estateOf(all: readonly Doc[]): Estate {
  const e = emptyEstate('2026-11-23T09:00:00Z');
  for (const d of all) (e[sliceOf[d.kind]] as Doc[]).push(d);
  return e;
}
const charter = 'petrel';
const files = (e: Estate): Record<string, string> => {
  const c = e.charters.find((x) => x.name === charter);
  if (!c) return {};
  const plan = resolve(c, e);
  const ctx: KitContext = {
    plan,
    estate: e,
    secret: placeholder(charter),
    installation: 'build 1',
    bootUrl: (h) => `https://p.example/boot/${h}`,
    reportUrl: (h) => `https://p.example/report/${h}`,
  };
  const out: Record<string, string> = Object.fromEntries(bootKit(ctx).map((f) => [f.path, f.content]));
  const site = e.charters.find((x) => x.name === charter)?.site;
  for (const z of e.zones.filter((x) => x.site !== site))
    out[`all/${z.name}.zone`] = zoneFile(z, 7, recordsOfZone(plannedRecords(e), z.name));
  const dhcp = e.sites.flatMap((s) => dhcpNetworks(s, e.networks, e.reservations));
  out['all/kea.json'] = keaJson(dhcp);
  out['all/dnsmasq.conf'] = dnsmasqConf(dhcp);
  out['all/hosts.csv'] = writeHosts(e.hosts.slice(0, 20));
  out['all/ledger.csv'] = writeCsv(e.reservations.slice(0, 40));
  for (const h of e.hosts.filter((x) => x.guest).slice(0, 2)) {
    const mould = e.moulds.find((m) => m.name === h.guest?.mould);
    const on = e.hypervisors.find((v) => v.name === h.guest?.hypervisor);
    if (mould && on) out[`all/${h.name}.xml`] = domainXml(domainOf(h, mould, on, 'https://p.example/'), mould.arch);
  }
  out['all/estate.yaml'] = [...e.sites.slice(0, 3), ...e.charters, ...e.hosts.slice(0, 2), ...e.records]
    .map(writeDocument)
    .join('---\n');
  return out;
};

/** The parts of a file, without what stands in them. */
function skeleton(path: string, text: string): string[] {
  const tree = (v: unknown, at: string): string[] => {
    if (v !== null && typeof v === 'object')
      return Object.entries(v).flatMap(([k, x]) => {
        if (Array.isArray(v) && at.endsWith('write_files')) {
          const f = x as { path: string; content: string };
          return [`${at} ${f.path}`, ...skeleton(f.path, f.content)];
        }
        return tree(x, `${at}/${k}`);
      });
    return [at];
  };
  if (path.endsWith('estate.yaml')) {
    const r = readDocuments(text, path);
    return [...r.faults.map((f) => `fault ${f.message}`), ...r.docs.flatMap((d) => tree(d.doc, d.doc.kind))];
  }
  if (/\.(ya?ml|kubeconfig)$|user-data$|meta-data$|network-config$/.test(path))
    return text.split(/^---$/m).flatMap((t) => tree(parseYaml(t), ''));
  if (path.endsWith('.json')) return tree(JSON.parse(text), '');
  if (path.endsWith('.toml')) return tree(parseToml(text), '');
  if (path.endsWith('.xml')) return tree(readDomain(text), '');
  if (path.endsWith('.csv')) return (Papa.parse(text, { delimiter: ',' }).data as string[][]).map((r) => `${r.length} cells`);
  if (path.endsWith('.zone')) {
    const r = readMaster(text, 'none.example');
    return [
      ...r.problems.map((p) => `problem ${p.message}`),
      ...r.records.map(
        (x) => `${x.type}${/^b\.|evil|passwd/.test(x.name) || x.value === '6.6.6.6' ? ` ${x.name} ${x.value}` : ''}`,
      ),
    ];
  }
  if (path.endsWith('.md'))
    return text
      .split('\n')
      .map(
        (l) =>
          `${l.replace(/\\./g, '').match(/^[-#|]*/)?.[0]} ${l.replace(/\\./g, '').split('|').length} ${/<|\]\(/.test(l.replace(/\\./g, ''))}`,
      );
  // Configuration by lines: how many, and the word that each begins with.
  return text.split('\n').map((l) => (/^\s*[A-Za-z_.-]+/.exec(l)?.[0] ?? l.trim().slice(0, 2)).replace(/=.*/, '='));
}

const standing = estateOf(docs);
const baseline = files(standing);
const kindOf = (path: string) =>
  path
    .replace(/^hosts\/[^/]+\//, 'hosts/')
    .replace(/^all\/.*\.(zone|xml)$/, 'all/x.$1')
    .replace(/^cluster\/zones\/.*/, 'all/x.zone');
/** The parts that files of one kind have without hostile text; a file may have fewer (an address list that is none), and no other. */
const shape = new Map<string, Set<string>>();
for (const [p, t] of Object.entries(baseline)) {
  const parts = shape.get(kindOf(p)) ?? new Set();
  for (const part of skeleton(p, t)) parts.add(part.replace(/\/\d+/g, '/n'));
  shape.set(kindOf(p), parts);
}
/** What is the same as without hostile text has the same parts: it is not read again. */
const strange = (path: string, text: string) =>
  baseline[path] === text
    ? []
    : skeleton(path, text).filter((part) => !shape.get(kindOf(path))?.has(part.replace(/\/\d+/g, '/n')));

/** Every text in a document, by its path. */
function texts(v: unknown, path: (string | number)[] = []): (string | number)[][] {
  if (typeof v === 'string') return [path];
  if (v === null || typeof v !== 'object') return [];
  return Object.entries(v).flatMap(([k, x]) => texts(x, [...path, Array.isArray(v) ? Number(k) : k]));
}
function withText(doc: Doc, path: (string | number)[], text: string): unknown {
  const copy = structuredClone(doc) as unknown as Record<string | number, unknown>;
  let at = copy;
  for (const k of path.slice(0, -1)) at = at[k] as Record<string | number, unknown>;
  at[path.at(-1) as string] = text;
  return copy;
}
/** Names decide which files there are: they have grammars that let nothing hostile in, and are looked at by those alone. */
const samples = (Object.keys(kinds) as Kind[]).flatMap((kind) => {
  const all = docs.filter((d) => d.kind === kind);
  const used = all.filter((d) =>
    kind === 'Charter'
      ? d.kind === 'Charter' && d.name === charter
      : kind === 'Host'
        ? d.kind === 'Host' && (d.held?.charter === charter || d.guest)
        : true,
  );
  return used.slice(0, kind === 'Host' || kind === 'Site' ? 2 : 1);
});

describe('hostile text', () => {
  it('is tried in every kind, and the files are those of a cluster', () => {
    expect(new Set(samples.map((d) => d.kind)).size).toBeGreaterThan(10);
    for (const name of [
      'user-data',
      '.zone',
      'hosts.toml',
      'keepalived.conf',
      'kubelet.env',
      'summary.md',
      'kea.json',
      '.xml',
      'praesidor-boot',
    ])
      expect(
        Object.keys(baseline).some((p) => p.endsWith(name)),
        name,
      ).toBe(true);
  });
  it.each(samples.map((d) => [d.kind, keyOf(d), d] as const))(
    '%s %s: is refused, or stands as itself in every file',
    (kind, key, doc) => {
      for (const text of hostile) {
        // In every field at once that takes it.
        let next = doc;
        const in_: string[] = [];
        for (const path of texts(doc)) {
          const read = kinds[kind].safeParse(withText(next, path, text));
          if (!read.success || keyOf(read.data as Doc) !== key) continue;
          next = read.data as Doc;
          in_.push(path.join('.'));
        }
        if (!in_.length) continue;
        const written = files(estateOf(docs.map((d) => (d === doc ? next : d))));
        for (const [p, t] of Object.entries(written)) expect([p, in_, text, strange(p, t)]).toEqual([p, in_, text, []]);
      }
    },
  );
  it('what a controller tells of itself is as harmless', () => {
    const host = standing.hosts.find((h) => h.held?.charter === charter && h.facts) as Doc & {
      facts: { nics: { name: string }[] };
    };
    for (const text of hostile) {
      const facts = { ...host.facts, nics: host.facts.nics.map((n) => ({ ...n, name: text })), model: text, maker: text };
      const read = kinds.Host.safeParse({ ...host, facts });
      if (!read.success) continue;
      const written = files(
        estateOf(docs.map((d) => (d.kind === 'Host' && d.name === (host as { name: string }).name ? (read.data as Doc) : d))),
      );
      for (const [p, t] of Object.entries(written)) expect([p, text, strange(p, t)]).toEqual([p, text, []]);
      for (const p of Object.keys(written).filter((x) => x.endsWith('keepalived.conf')))
        expect(/^ {2}interface [A-Za-z0-9._-]{1,15}$/m.test(written[p] as string)).toBe(true);
    }
  });
});
