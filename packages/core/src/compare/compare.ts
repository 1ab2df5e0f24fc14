import { planOf, sheetOf } from '../charter/index.ts';
import type { Finding } from '../checks/index.ts';
import type { Charter, Doc, Host, Kind, Site } from '../model/documents.ts';
import { differences } from '../model/difference.ts';
import { keyOf } from '../model/estate.ts';
import { labelOfField } from '../model/fields/index.ts';
import { answerText } from '../model/question.ts';
import { parsePrefix } from '../address/parse.ts';
import type { View } from '../reading/index.ts';
import { Likeness, nameLike, type Pattern, patternOf } from '../sites/alike.ts';
import { counted } from '../words/amounts.ts';

/** One line of two things side by side. */
export interface Compared {
  /** What it is about: `Network`, and its names at both: `ptl-machine`, `dnl-machine`. */
  kind: string;
  of: string;
  label: string;
  one: string;
  other: string;
}
export interface SideBySide {
  /** Amounts, whether they differ or not. */
  sums: { label: string; one: string; other: string }[];
  /** Where they are set otherwise, beyond names and addresses that go with the site. */
  differ: Compared[];
  /** What follows for both, of two clusters. */
  follows: { label: string; one: string; other: string }[];
}

/** A value as it is read. */
const text = (v: unknown): string =>
  v === undefined
    ? 'none'
    : Array.isArray(v)
      ? v.map(text).join(', ') || 'none'
      : v !== null && typeof v === 'object'
        ? Object.entries(v)
            .filter(([, x]) => x !== undefined)
            .map(([k, x]) => `${k} ${text(x)}`)
            .join(' · ')
        : answerText(v);

const lines = (kind: Kind, of: string, one: object, other: object, skip: readonly string[]): Compared[] =>
  differences(one, other)
    .filter((d) => !skip.includes(String(d.path[0])))
    .map((d) => ({ kind, of, label: labelOfField(kind, d.path), one: text(d.before), other: text(d.after) }));

/** How one site reads with the names and the blocks of another: what differs then is no matter of names. */
function likeness(view: View, one: Pattern, other: Site): Likeness {
  const theirs = patternOf(view, other.name);
  // The block lies where a network that both have lies in it; without such a one, around what is there.
  const blocks = one.blocks.flatMap((b) => {
    for (const n of one.networks) {
      const p = parsePrefix(n.prefix);
      const same = theirs?.networks.find((x) => x.name === nameLike(n.name, one.site.name, other.name));
      const q = same && parsePrefix(same.prefix);
      if (p.v === b.v && q?.v === p.v && q.length === p.length) return [{ ...b, n: b.n + q.n - p.n }];
    }
    return theirs?.blocks.find((x) => x.v === b.v) ?? [];
  });
  return new Likeness(one, { name: other.name, title: other.title, domain: other.domain, timezone: one.site.timezone, blocks });
}

/**
 * Two sites side by side: amounts, and where the second is otherwise than the first would be with its names and addresses. Networks, zones
 * and registries are told apart by their names, with the name of the site taken for the other.
 *
 * @returns undefined where one of them is not there
 */
export function compareSites(view: View, one: string, other: string, findings: readonly Finding[]): SideBySide | undefined {
  const pattern = patternOf(view, one);
  const b = view.get('Site', other);
  if (!pattern || !b) return undefined;
  const like = likeness(view, pattern, b);
  const theirs = patternOf(view, other, like.given.blocks) as Pattern;
  const of = (s: string) => sumsOf(view, s, findings);
  const [x, y] = [of(one), of(other)];
  const would = like.documents(view.estate.now);
  const stands: Doc[] = [theirs.site, ...theirs.networks, ...theirs.zones, ...theirs.registries, ...theirs.records];
  const differ: Compared[] = [];
  const kinds = ['Site', 'Network', 'Zone', 'Registry', 'Record'] as const;
  for (const kind of kinds) {
    const [had, has] = [would, stands].map((l) => new Map(l.filter((d) => d.kind === kind).map((d) => [keyOf(d), d])));
    for (const [key, doc] of had as Map<string, Doc>) {
      const now = has?.get(key);
      if (now) differ.push(...lines(kind, key, doc, now, ['title', 'contacts']));
      else differ.push({ kind, of: key, label: '', one: 'is there', other: 'is not there' });
    }
    for (const key of has?.keys() ?? [])
      if (!had?.has(key)) differ.push({ kind, of: key, label: '', one: 'is not there', other: 'is there' });
  }
  return { sums: Object.keys(x).map((label) => ({ label, one: x[label] ?? '', other: y[label] ?? '' })), differ, follows: [] };
}

function sumsOf(view: View, site: string, findings: readonly Finding[]): Record<string, string> {
  const hosts = view.by('Host', 'site', site).filter((h) => h.state !== 'retired' && h.state !== 'sighted');
  const sum = (f: (h: Host) => number) => Math.round(hosts.reduce((n, h) => n + f(h), 0));
  const models = new Set(hosts.flatMap((h) => (h.facts?.model ? `${h.facts.maker} ${h.facts.model}`.trim() : [])));
  const here = findings.filter((f) => f.site === site);
  const found = (['stop', 'mind', 'note'] as const).map((s) => `${here.filter((f) => f.severity === s).length} ${s}`).join(', ');
  return {
    Hosts: hosts.length
      ? [...new Set(hosts.map((h) => h.state))].map((s) => `${hosts.filter((h) => h.state === s).length} ${s}`).join(', ')
      : 'none',
    Machines: [...models].sort().join(', ') || 'not known',
    Cores: String(sum((h) => h.facts?.cores ?? 0)),
    Memory: `${sum((h) => h.facts?.memoryGiB ?? 0)} GiB`,
    Networks: String(view.by('Network', 'site', site).length),
    Clusters:
      view
        .by('Charter', 'site', site)
        .map((c) => `${c.name} (${c.release})`)
        .sort()
        .join(', ') || 'none',
    Findings: found,
  };
}

/** Fields that a charter has as its own: its name, its site, and where it came from. */
const own = ['name', 'site', 'template', 'notes', 'apiVersion', 'kind'];

/**
 * Two clusters side by side: what is set otherwise, beyond names and addresses that go with their sites, and what follows for both.
 *
 * @returns undefined where one of them is not there
 */
export function compareClusters(view: View, one: string, other: string): SideBySide | undefined {
  const [a, b] = [view.get('Charter', one), view.get('Charter', other)];
  if (!a || !b) return undefined;
  const [x, y] = [planOf(view, one), planOf(view, other)];
  const follows = (p: typeof x) => new Map(sheetOf(p).map((f) => [f.label, f.text]));
  const [f, g] = [follows(x), follows(y)];
  return {
    sums: [
      { label: 'Site', one: a.site, other: b.site },
      { label: 'Template', one: templateText(a), other: templateText(b) },
      { label: 'Nodes', one: nodesText(x), other: nodesText(y) },
      {
        label: 'Usable capacity',
        one: `${x.capacity.cores} cores, ${x.capacity.memoryGiB} GiB`,
        other: `${y.capacity.cores} cores, ${y.capacity.memoryGiB} GiB`,
      },
    ],
    differ: lines('Charter', other, asAt(view, a, b), b, own),
    follows: [...new Set([...f.keys(), ...g.keys()])].map((label) => ({
      label,
      one: f.get(label) ?? 'none',
      other: g.get(label) ?? 'none',
    })),
  };
}
const templateText = (c: Charter) => (c.template ? `${c.template.name}, version ${c.template.version}` : 'none');
const nodesText = (p: ReturnType<typeof planOf>) =>
  `${p.nodes.filter((n) => n.role === 'control-plane').length} of the control plane, ${counted(p.nodes.filter((n) => n.role === 'worker').length, 'worker')}`;

/** A charter as it would read at the site of another one: its networks, its registry and its addresses are those of that site. */
function asAt(view: View, a: Charter, b: Charter): object {
  const pattern = patternOf(view, a.site);
  const site = view.get('Site', b.site);
  if (a.site === b.site || !pattern || !site) return a;
  const like = likeness(view, pattern, site);
  const walk = (v: unknown): unknown =>
    typeof v === 'string'
      ? like.text(like.name(v))
      : Array.isArray(v)
        ? v.map(walk)
        : v !== null && typeof v === 'object'
          ? Object.fromEntries(Object.entries(v).map(([k, x]) => [k, walk(x)]))
          : v;
  return walk(a) as object;
}
