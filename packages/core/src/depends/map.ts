import type { Finding, Severity } from '../checks/index.ts';
import type { Charter, Host, Network, Registry, Site } from '../model/documents.ts';
import { byName, sortKey } from '../model/estate.ts';
import type { View } from '../reading/index.ts';
import { counted } from '../words/amounts.ts';

/** What depends on what, from north to south: each rank needs something of those above it. */
export const ranks = ['site', 'network', 'hosts', 'registry', 'cluster'] as const;
export type Rank = (typeof ranks)[number];
export interface Thing {
  /** `network lr-machine`. */
  id: string;
  rank: Rank;
  title: string;
  about: string;
  site: string;
  /** What stands together in it: names of hosts, networks or sites. */
  members: string[];
  /** Of the findings about it. */
  worst?: Severity;
  findings: number;
}
export interface DependencyMap {
  things: Thing[];
  /** The second needs the first. */
  links: { from: string; to: string }[];
  /** Sites of which nothing is drawn, by the worst that is found there. */
  folded: { worst: Severity | undefined; sites: string[] }[];
}

const order: readonly (Severity | undefined)[] = ['stop', 'mind', 'note', undefined];

/**
 * What depends on what at some sites. Of many, those with the worst findings are drawn, and the others are told by their number, so that
 * it stays readable.
 *
 * @param site the one that is drawn alone; without it, as many as `most`
 */
export function dependenciesOf(
  view: View,
  findings: readonly Finding[],
  { site, most = 4 }: { site?: string; most?: number } = {},
): DependencyMap {
  const of = findingsBy(findings);
  const worstAt = new Map<string, Severity>();
  for (const f of findings) {
    const now = worstAt.get(f.site);
    if (order.indexOf(f.severity) < (now ? order.indexOf(now) : order.length)) worstAt.set(f.site, f.severity);
  }
  const all = [...view.all('Site')]
    .filter((s) => !site || s.name === site)
    .sort(
      (a, b) =>
        order.indexOf(worstAt.get(a.name)) - order.indexOf(worstAt.get(b.name)) || (sortKey(a.name) < sortKey(b.name) ? -1 : 1),
    );
  const shown = all.slice(0, most);
  const out: DependencyMap = { things: [], links: [], folded: [] };
  for (const s of shown) addSite(out, view, s, of);
  const there = new Set(out.things.map((t) => t.id));
  out.links = out.links.filter((l) => there.has(l.from) && there.has(l.to));
  for (const worst of order) {
    const sites = all.slice(most).filter((s) => worstAt.get(s.name) === worst);
    if (sites.length) out.folded.push({ worst, sites: sites.map((s) => s.name) });
  }
  return out;
}

type Found = (kind: string, name: string) => readonly Finding[];
function findingsBy(findings: readonly Finding[]): Found {
  const by = new Map<string, Finding[]>();
  for (const f of findings) {
    const key = `${f.subject.kind} ${f.subject.name}`;
    const list = by.get(key);
    if (list) list.push(f);
    else by.set(key, [f]);
  }
  return (kind, name) => by.get(`${kind} ${name}`) ?? [];
}
const judged = (list: readonly Finding[]): Pick<Thing, 'worst' | 'findings'> => {
  const worst = order.find((o) => list.some((f) => f.severity === o));
  return { ...(worst ? { worst } : {}), findings: list.length };
};

function addSite(out: DependencyMap, view: View, s: Site, of: Found): void {
  const networks = [...view.by('Network', 'site', s.name)].sort(byName);
  const hosts = [...view.by('Host', 'site', s.name)].filter((h) => h.state !== 'retired' && h.state !== 'sighted').sort(byName);
  const registries = [...view.by('Registry', 'site', s.name)].sort(byName);
  const charters = [...view.by('Charter', 'site', s.name)].sort(byName);
  const top = `site ${s.name}`;
  const link = (from: string, to: string) => {
    if (!out.links.some((l) => l.from === from && l.to === to)) out.links.push({ from, to });
  };
  out.things.push({
    id: top,
    rank: 'site',
    title: s.title,
    about: s.reach,
    site: s.name,
    members: [],
    ...judged(of('Site', s.name)),
  });

  const groups = groupsOf(hosts, charters, networks);
  const used = new Set([
    ...groups.flatMap((g) => g.network ?? []),
    ...charters.map((c) => c.machineNetwork),
    ...registries.flatMap((r) => networkOf(view, r) ?? []),
  ]);
  const id = (n: string) => `network ${n}`;
  for (const n of networks.filter((x) => used.has(x.name))) {
    out.things.push({
      id: id(n.name),
      rank: 'network',
      title: n.name,
      about: n.prefix,
      site: s.name,
      members: [],
      ...judged(of('Network', n.name)),
    });
    link(top, id(n.name));
  }
  const rest = networks.filter((x) => !used.has(x.name));
  if (rest.length) {
    const one = `networks ${s.name}`;
    out.things.push({
      id: one,
      rank: 'network',
      title: counted(rest.length, 'other network'),
      about: 'no hosts or clusters',
      site: s.name,
      members: rest.map((n) => n.name),
      ...judged(rest.flatMap((n) => of('Network', n.name))),
    });
    link(top, one);
  }

  for (const g of groups) {
    const own = `hosts ${s.name} ${g.charter} ${g.network ?? ''} ${g.state}`;
    out.things.push({
      id: own,
      rank: 'hosts',
      title: counted(g.hosts.length, 'host'),
      about: g.charter ? `${g.charter}, ${g.state}` : 'of no cluster',
      site: s.name,
      members: g.hosts.map((h) => h.name),
      ...judged(g.hosts.flatMap((h) => of('Host', h.name))),
    });
    link(g.network ? id(g.network) : top, own);
    if (g.charter) link(own, `cluster ${g.charter}`);
    for (const r of registries) if (r.host && g.hosts.some((h) => h.name === r.host)) link(own, `registry ${r.name}`);
  }
  for (const r of registries) {
    const own = `registry ${r.name}`;
    out.things.push({
      id: own,
      rank: 'registry',
      title: r.name,
      about: r.role,
      site: s.name,
      members: [],
      ...judged(of('Registry', r.name)),
    });
    const at = networkOf(view, r);
    if (!out.links.some((l) => l.to === own)) link(at ? id(at) : top, own);
  }
  for (const c of charters) {
    const own = `cluster ${c.name}`;
    out.things.push({
      id: own,
      rank: 'cluster',
      title: c.name,
      about: `release ${c.release}`,
      site: s.name,
      members: [],
      ...judged(of('Charter', c.name)),
    });
    link(`registry ${c.mirror}`, own);
    // Without hosts it hangs on the network that they are to be in.
    if (!groups.some((g) => g.charter === c.name))
      link(networks.some((n) => n.name === c.machineNetwork) ? id(c.machineNetwork) : top, own);
  }
}

interface Group {
  charter: string;
  network: string | undefined;
  state: string;
  hosts: Host[];
}
/** Hosts that stand together: of one cluster or of none, in one network, in one state. */
function groupsOf(hosts: readonly Host[], charters: readonly Charter[], networks: readonly Network[]): Group[] {
  const usual = networks.find((n) => n.purpose === 'machine')?.name;
  const out = new Map<string, Group>();
  for (const h of hosts) {
    const charter = h.held?.charter ?? '';
    const network = charters.find((c) => c.name === charter)?.machineNetwork ?? usual;
    const known = network !== undefined && networks.some((n) => n.name === network) ? network : usual;
    // Those of no cluster stand together, whatever their state: nothing below hangs on them.
    const key = `${charter} ${known ?? ''} ${charter && h.state}`;
    const g = out.get(key);
    if (g) g.hosts.push(h);
    else out.set(key, { charter, network: known, state: charter && h.state, hosts: [h] });
  }
  return [...out.values()];
}

/** The network in which a registry has its address. */
const networkOf = (view: View, r: Registry): string | undefined =>
  view
    .all('Reservation')
    .find((x) => x.owner.kind === 'registry' && x.owner.name === r.name && view.get('Network', x.network)?.site === r.site)
    ?.network;
