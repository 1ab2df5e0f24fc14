import {
  bits,
  contains,
  formatIp,
  formatPrefix,
  holds,
  isIp,
  parseIp,
  parsePrefix,
  parseRange,
  type Prefix,
  prefixRange,
} from '../address/parse.ts';
import type { Doc, Host, NameRecord, Network, Registry, Reservation, Site, Zone } from '../model/documents.ts';
import { byName } from '../model/estate.ts';
import { addressesOf, commonReverseZone } from '../naming/reverse.ts';
import type { View } from '../reading/index.ts';

/** A site that others are made like: what it has that another one has too, and the blocks that all its addresses lie in. */
export interface Pattern {
  site: Site;
  networks: Network[];
  zones: Zone[];
  registries: Registry[];
  reservations: Reservation[];
  records: NameRecord[];
  /** Machines of its own, in their order; guests are none. */
  hosts: Host[];
  /** One for each version of IP that it has networks of. */
  blocks: Prefix[];
  /** Documents of it that another site does not get: `Gateway lr-gate`. */
  apart: string[];
}

/** The smallest prefix around some, for each version of IP. */
export function blocksAround(prefixes: readonly Prefix[]): Prefix[] {
  return ([4, 6] as const).flatMap((v) => {
    const [first, ...rest] = prefixes.filter((p) => p.v === v);
    if (!first) return [];
    let block = first;
    while (!rest.every((p) => contains(prefixRange(block), prefixRange(p)))) {
      const length = block.length - 1;
      const host = BigInt(bits(v) - length);
      block = { v, n: (block.n >> host) << host, length };
    }
    return [block];
  });
}

/** Whether a zone is about nothing beyond one site: its names are under the site's domain, its addresses in the site's blocks. */
function ofOneSite(zone: string, { domain }: Site, blocks: readonly Prefix[]): boolean {
  const about = addressesOf(zone);
  if (!about) return zone === domain || zone.endsWith(`.${domain}`);
  const range = about.includes('/') ? prefixRange(parsePrefix(about)) : parseRange(about);
  return blocks.some((b) => contains(prefixRange(b), range));
}

/** A registry without the authority that signs for its site alone; one that signs for several sites is shared. */
function withoutOwnTrust(r: Registry, view: View): Registry {
  if (!r.ca || view.all('Registry').some((o) => o.site !== r.site && o.ca === r.ca)) return r;
  const { ca: _, ...rest } = r;
  return rest;
}

/** What another site gets like this one. @param wider blocks that somebody says it has, in place of the smallest ones around its networks */
export function patternOf(view: View, name: string, wider: readonly Prefix[] = []): Pattern | undefined {
  const site = view.get('Site', name);
  if (!site) return undefined;
  const networks = view
    .by('Network', 'site', name)
    .filter((n) => !n.precinct)
    .sort(byName);
  const own = new Set(networks.map((n) => n.name));
  const around = blocksAround(networks.map((n) => parsePrefix(n.prefix)));
  const blocks = around.map((b) => wider.find((w) => w.v === b.v && contains(prefixRange(w), prefixRange(b))) ?? b);
  const all = [...view.by('Zone', 'site', name)].sort(byName);
  const zones = all.filter((z) => ofOneSite(z.name, site, blocks));
  const inZones = new Set(zones.map((z) => z.name));
  return {
    site,
    networks,
    zones,
    registries: view
      .by('Registry', 'site', name)
      .filter((r) => r.role !== 'source')
      .map((r) => withoutOwnTrust(r, view))
      .sort(byName),
    reservations: view
      .all('Reservation')
      .filter((r) => own.has(r.network) && !r.resting && r.origin !== 'follows' && !['charter', 'host'].includes(r.owner.kind)),
    records: view.all('Record').filter((r) => inZones.has(r.zone)),
    hosts: view
      .by('Host', 'site', name)
      .filter((h) => !h.guest && h.state !== 'sighted' && h.state !== 'retired')
      .sort(byName),
    blocks,
    apart: [
      ...view.by('Gateway', 'site', name).map((g) => `Gateway ${g.name}`),
      ...view.by('Hypervisor', 'site', name).map((h) => `Hypervisor ${h.name}`),
      ...all.flatMap((z) => (inZones.has(z.name) ? [] : [`Zone ${z.name}`])),
      ...view.all('BackupStore').flatMap((s) => (s.site === name ? [`Backup store ${s.name}`] : [])),
      ...view.by('Registry', 'site', name).flatMap((r) => (r.role === 'source' ? [`Registry ${r.name}`] : [])),
    ],
  };
}

/** What a new site is called, and where its addresses lie: a block for each of the pattern's, at least as large. */
export interface Given {
  name: string;
  title: string;
  domain: string;
  timezone?: string | undefined;
  blocks: readonly Prefix[];
}

/** The name of something of one site, for another: its label that is the site's name is replaced; without one, the new name stands before it. */
export const nameLike = (own: string, from: string, to: string): string => {
  const parts = own.split(/([-._])/);
  return parts.includes(from) ? parts.map((p) => (p === from ? to : p)).join('') : `${to}-${own}`;
};

/** The domain of a site like another: that one's, with the name of the site in it. Undefined where it does not have it. */
export const domainLike = (pattern: Site, name: string): string | undefined =>
  pattern.domain.split('.').includes(pattern.name) ? nameLike(pattern.domain, pattern.name, name) : undefined;

/** How texts of a pattern read for another site. */
export class Likeness {
  private readonly names: ReadonlyMap<string, string>;
  constructor(
    readonly pattern: Pattern,
    readonly given: Given,
  ) {
    this.names = new Map(
      [...pattern.networks, ...pattern.registries].map((d) => [d.name, nameLike(d.name, pattern.site.name, given.name)]),
    );
  }

  /** The name of a network or registry of the pattern, as it is there; any other stays. */
  name = (own: string): string => this.names.get(own) ?? own;

  /** A name of the keyring, of a host, or of a cluster: with the name of the site replaced where it stands in it; any other is shared. */
  shared = (own: string): string => {
    const parts = own.split(/([-._])/);
    return parts.map((p) => (p === this.pattern.site.name ? this.given.name : p)).join('');
  };

  /** An address, a prefix, a range, a name with or without a port: at the same place in the block, or under the domain, of the other site. What lies in neither stays. */
  text = (own: string): string => {
    const port = /^(.*):(\d{1,5})$/.exec(own);
    if (port?.[1] && !isIp(own)) return `${this.text(port[1])}:${port[2]}`;
    if (own.startsWith('[') && own.endsWith(']')) return `[${this.text(own.slice(1, -1))}]`;
    if (isIp(own)) return this.address(own);
    if (/^[0-9a-fA-F.:]+\/\d+$/.test(own)) {
      const [address = '', length] = own.split('/');
      return `${this.address(address)}/${length}`;
    }
    const range = /^([0-9a-fA-F.:]+)-([0-9a-fA-F.:]+)$/.exec(own);
    if (range?.[1] && range[2] && isIp(range[1]) && isIp(range[2])) return `${this.address(range[1])}-${this.address(range[2])}`;
    const { domain } = this.pattern.site;
    return own === domain || own.endsWith(`.${domain}`) ? `${own.slice(0, -domain.length)}${this.given.domain}` : own;
  };

  private address(own: string): string {
    const a = parseIp(own);
    const from = this.pattern.blocks.find((b) => holds(prefixRange(b), a));
    const to = from && this.given.blocks.find((b) => b.v === from.v);
    return from && to ? formatIp({ v: a.v, n: a.n - from.n + to.n }) : own;
  }

  /** A reverse zone for the addresses of the other site; a forward one under its domain. */
  zone = (own: string): string => {
    const about = addressesOf(own);
    if (!about) return this.text(own);
    if (about.includes('/')) {
      const to = parsePrefix(this.text(about));
      return commonReverseZone(to);
    }
    const r = parseRange(this.text(about));
    const parent = commonReverseZone({ v: 4, n: r.first, length: 24 });
    return `${r.first & 255n}-${r.last & 255n}.${parent}`;
  };

  /** The documents of a site like the pattern, without hosts and clusters. */
  documents(now: string): Doc[] {
    const { pattern, given } = this;
    const { name, text } = this;
    const site = given.name;
    const list = (l: string | readonly string[] | undefined) =>
      l && (typeof l === 'string' ? l.split(/[\s,;]+/).filter(Boolean) : l).map(text);
    const rules = <R extends { from?: string | undefined; to?: string | undefined }>(all: readonly R[] | undefined) =>
      all?.map((r) => ({ ...r, ...(r.from ? { from: text(r.from) } : {}), ...(r.to ? { to: text(r.to) } : {}) }));
    const routes = <R extends { to: string; via: string }>(all: readonly R[] | undefined) =>
      all?.map((r) => ({ ...r, to: text(r.to), via: text(r.via) }));
    const networkOf = ({ precincts: _, ...n }: Network): Network =>
      without({
        ...n,
        name: name(n.name),
        site,
        prefix: text(n.prefix),
        gateway: n.gateway && text(n.gateway),
        dhcp: n.dhcp.map((d) => without({ ...d, range: text(d.range), routes: routes(d.routes) })),
        pools: n.pools.map((p) => ({ ...p, range: text(p.range) })),
        parent: n.parent && name(n.parent),
        resolvers: list(n.resolvers),
        ntp: list(n.ntp),
        routes: routes(n.routes),
        rules: rules(n.rules),
        routesTo: n.routesTo.map(name),
      }) as Network;
    // Whom to call there is not known.
    const { contacts: _, ...like } = pattern.site;
    return [
      without({
        ...like,
        name: site,
        title: given.title,
        domain: given.domain,
        timezone: given.timezone ?? pattern.site.timezone,
        resolvers: list(pattern.site.resolvers),
        ntp: list(pattern.site.ntp),
      }) as Site,
      ...pattern.networks.map(networkOf),
      ...pattern.zones.map(
        (z): Zone => ({
          ...z,
          name: this.zone(z.name),
          site,
          primary: text(z.primary),
          servers: z.servers.map(text),
          contact: text(z.contact),
        }),
      ),
      ...pattern.registries.map(
        ({ host: _, ...r }): Registry =>
          without({
            ...r,
            name: name(r.name),
            site,
            endpoint: text(r.endpoint),
            credential: r.credential && this.shared(r.credential),
          }) as Registry,
      ),
      ...pattern.reservations.map(
        ({ mac: _, until: __, ...r }): Reservation =>
          without({
            ...r,
            address: text(r.address),
            network: name(r.network),
            name: r.name && text(r.name),
            owner: { ...r.owner, name: r.owner.kind === 'site' ? this.shared(r.owner.name) : name(r.owner.name) },
            origin: 'by-hand',
            since: now,
          }) as Reservation,
      ),
      ...pattern.records.map(
        (r): NameRecord => ({ ...r, zone: this.zone(r.zone), name: text(r.name), value: r.value.split(' ').map(text).join(' ') }),
      ),
    ];
  }

  /** The host of a site like the pattern that stands where the pattern's stands; what a reading would tell is not known of it. */
  host(at: number, name?: string): Host {
    const own = this.pattern.hosts[at];
    const { name: site } = this.given;
    const bmc = own?.bmc;
    return without({
      kind: 'Host',
      apiVersion: 'praesidor/v1',
      name: name ?? (own ? nameLike(own.name, this.pattern.site.name, site) : `${site}-${at + 1}`),
      site,
      state: 'listed',
      rack: own?.rack,
      unit: own?.unit,
      height: own?.height,
      side: own?.side,
      depth: own?.depth,
      zone: own?.zone,
      feed: own?.feed,
      uplink: own?.uplink,
      bmc: bmc && without({ address: this.text(bmc.address), credential: this.shared(bmc.credential), boot: bmc.boot }),
    }) as Host;
  }
}

/** Without what is not there. */
const without = <T extends object>(o: T): T =>
  Object.fromEntries(Object.entries(o).filter(([, v]) => v !== undefined && v !== '')) as T;

/** Prefixes of a cell, and what is wrong with it. */
export function readBlocks(text: string): Prefix[] | string {
  const out: Prefix[] = [];
  for (const word of text.split(/[\s,;+]+/).filter(Boolean))
    try {
      out.push(parsePrefix(word));
    } catch (e) {
      return (e as Error).message;
    }
  return new Set(out.map((p) => p.v)).size === out.length ? out : 'there is one block for each version of IP';
}
export const blocksText = (blocks: readonly Prefix[]): string => blocks.map(formatPrefix).join(' ');
