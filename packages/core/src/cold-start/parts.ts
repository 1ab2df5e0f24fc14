import { formatIp, holds, isIp, parseIp, parsePrefix, parseRange, prefixRange, serverList } from '../address/parse.ts';
import { storageNodes } from '../charter/aspects/storage.ts';
import type { Computed } from '../charter/plan.ts';
import { planOf } from '../charter/resolve.ts';
import type { DocOf } from '../model/documents.ts';
import { answeringNodes } from '../reach/announce.ts';
import type { View } from '../reading/index.ts';
import { counted } from '../words/amounts.ts';
import { type Mend, type Need, type Part, usual } from './part.ts';

type Site = DocOf<'Site'>;
const usualTermination = 30;

/** Where a name or an address with a port is: the part before the port, without brackets. */
const hostOf = (endpoint: string) => endpoint.replace(/:\d+$/, '').replace(/^\[|\]$/g, '');

const serversOf = (raw: string | readonly string[] | undefined): string[] => serverList(raw ?? []).servers;
/** Kinds whose time a site can declare. */
const timed = { switch: 1, gateway: 1, device: 1, hypervisor: 1, host: 1, guest: 1 };
const lies = (n: DocOf<'Network'>, address: string) => holds(prefixRange(parsePrefix(n.prefix)), parseIp(address));
const inSite = (view: View, site: string, address: string) => view.by('Network', 'site', site).some((n) => lies(n, address));

/**
 * The parts of a site with what each needs: begun with what is wanted of it, and followed down to the power. A part is known before its
 * needs are, so that circles end. A kind of part is one method here and one line in `usual`.
 */
export class Parts {
  readonly all = new Map<string, Part>();
  constructor(
    private readonly view: View,
    private readonly site: Site,
  ) {}

  /** Everything that is wanted at the site: its gateways, registries, clusters. */
  wanted(): this {
    this.standing();
    for (const c of this.view.by('Charter', 'site', this.site.name)) this.cluster(c.name);
    return this;
  }

  private standing(): void {
    for (const g of this.view.by('Gateway', 'site', this.site.name)) this.gateway(g);
    for (const r of this.view.by('Registry', 'site', this.site.name)) if (r.role !== 'source') this.registry(r);
  }

  /** What everybody at the site needs: each circle goes through one of these, for nothing waits for work. */
  shared(): this {
    this.standing();
    for (const n of ['', ...this.view.by('Network', 'site', this.site.name).map((x) => x.name)]) {
      this.served('names', n);
      this.served('time', n);
    }
    for (const c of this.view.by('Charter', 'site', this.site.name)) {
      for (const a of serversOf(c.ntp)) this.at(a);
      for (const s of c.storage ?? []) if (s.server) this.at(s.server);
    }
    return this;
  }

  private add(
    kind: Part['kind'],
    name: string,
    what: {
      title: string;
      takes?: number | undefined;
      stops?: number;
      like?: keyof typeof usual;
      charter?: string;
      path?: string;
    },
    needs: () => (Need | undefined)[],
  ): string {
    const id = `${kind} ${name}`;
    if (this.all.has(id)) return id;
    const { title, stops, like = kind, charter, path } = what;
    const takes = what.takes ?? (like in timed ? this.site.starts?.[like as keyof typeof timed] : undefined);
    const part: Part = {
      id,
      kind,
      title,
      ...(charter ? { charter } : {}),
      ...(path ? { path } : {}),
      takes: takes ?? usual[like].takes,
      stops: stops ?? usual[like].stops,
      declared: takes !== undefined,
      needs: [],
    };
    this.all.set(id, part);
    part.needs.push(...needs().flatMap((n) => n ?? []));
    return id;
  }

  private need(any: string[], why: string, more: Partial<Need> = {}): Need | undefined {
    const list = [...new Set(any)];
    return list.length ? { any: list, why, ...more, of: Math.min(more.of ?? 1, list.length) } : undefined;
  }

  // Power and cables.

  private power(feed?: string): string[] {
    const at = this.site.name;
    if (feed) return [this.add('power', feed, { title: `Power feed ${feed}` }, () => [])];
    const feeds = this.view.memo(`feeds of ${at}`, () => [
      ...new Set([...this.view.by('Host', 'site', at), ...this.view.by('Hypervisor', 'site', at)].flatMap((h) => h.feed ?? [])),
    ]);
    if (feeds.length) return feeds.flatMap((f) => this.power(f));
    return [this.add('power', at, { title: 'Power' }, () => [])];
  }
  private switches(names: readonly string[] = []): string[] {
    const known = names.length ? names : [''];
    return known.map((n) =>
      this.add('switch', n || this.site.name, { title: n ? `Switch ${n}` : 'Switches' }, () => [
        this.need(this.power(), 'it draws power'),
      ]),
    );
  }
  private machine(feed: string | undefined, switches: readonly string[] = []): (Need | undefined)[] {
    return [this.need(this.power(feed), 'it draws power'), this.need(this.switches(switches), 'it hangs on a switch')];
  }

  // Machines.

  host(name: string): string {
    const h = this.view.get('Host', name);
    const path = h && `/hosts/${name}`;
    const on = h?.guest && this.view.get('Hypervisor', h.guest.hypervisor);
    if (on)
      return this.add('host', name, { title: name, like: 'guest', ...(path ? { path } : {}) }, () => [
        this.need([this.hypervisor(on)], `it is a guest of ${on.name}`),
        this.asked(on),
      ]);
    const told = [...new Set((h?.facts?.nics ?? []).flatMap((n) => n.neighbour?.name ?? []))];
    return this.add('host', name, { title: name, ...(path ? { path } : {}) }, () => this.machine(h?.feed, told));
  }
  private hypervisor(h: DocOf<'Hypervisor'>): string {
    return this.add('hypervisor', h.name, { title: h.name, path: '/hosts/hypervisors' }, () => this.machine(h.feed));
  }
  /** Who starts a guest asks its hypervisor, by its name where it has one. */
  private asked(h: DocOf<'Hypervisor'>): Need | undefined {
    const name = hostOf(h.endpoint);
    if (isIp(name)) return undefined;
    const address = this.addressOf(name);
    const port = /:\d+$/.exec(h.endpoint)?.[0] ?? '';
    const mends = (): Mend[] =>
      address
        ? [
            {
              label: `Ask ${h.name} by its address ${address}`,
              edits: [
                {
                  op: 'set',
                  kind: 'Hypervisor',
                  key: h.name,
                  path: ['endpoint'],
                  value: `${address.includes(':') ? `[${address}]` : address}${port}`,
                },
              ],
              any: () => [],
            },
          ]
        : [];
    return this.need([this.names()], `${h.name} is asked by the name ${name} to start it`, {
      unless: `${h.name} starts its guests by itself`,
      mends,
    });
  }
  private gateway(g: DocOf<'Gateway'>): string {
    const hosts = g.members.filter((m) => this.view.get('Host', m.name)).map((m) => m.name);
    const about = { title: g.title || g.name, path: `/addresses/gateways/${g.name}` };
    if (hosts.length < g.members.length) return this.add('gateway', g.name, about, () => this.machine(undefined));
    return this.add('gateway', g.name, { ...about, like: 'guest' }, () => [
      this.need(
        hosts.map((h) => this.host(h)),
        'it runs on one of them',
      ),
    ]);
  }

  // What is at an address.

  private addressOf(name: string): string | undefined {
    return isIp(name) ? name : this.view.by('Reservation', 'name', name).find((r) => !r.resting)?.address;
  }
  /** What must be up so that a name or an address answers. */
  private at(where: string): string {
    const address = this.addressOf(where);
    if (!address) return this.device(where);
    const a = parseIp(address);
    const plain = formatIp(a);
    const r = this.view.by('Reservation', 'address', plain).find((x) => !x.resting);
    const site = r && this.view.get('Network', r.network)?.site;
    if (site && site !== this.site.name) return this.link(site);
    for (const g of this.view.by('Gateway', 'site', this.site.name))
      if ([...g.addresses, ...g.members.flatMap((m) => m.interfaces)].some((f) => f.address === plain)) return this.gateway(g);
    if (r?.owner.kind === 'host') return this.host(r.owner.name);
    if (r?.owner.kind === 'registry') {
      const registry = this.view.get('Registry', r.owner.name);
      if (registry) return this.registry(registry);
    }
    if (r?.owner.kind === 'charter') {
      const use = r.owner.use ?? '';
      if (use.startsWith('node ')) return this.host(use.slice('node '.length));
      return use === 'api' ? this.controlPlane(r.owner.name) : this.services(r.owner.name);
    }
    for (const c of this.view.by('Charter', 'site', this.site.name))
      if (c.servicePool && holds(parseRange(c.servicePool.range), a)) return this.services(c.name);
    const elsewhere =
      !r && !inSite(this.view, this.site.name, plain) ? this.view.all('Network').find((n) => lies(n, plain))?.site : undefined;
    return elsewhere ? this.link(elsewhere) : this.device(r?.name ?? plain);
  }
  private device(name: string): string {
    return this.add('device', name, { title: name }, () => this.machine(undefined));
  }
  /** Another site is up: what must be there is the way to it. */
  private link(to: string): string {
    const title = this.view.get('Site', to)?.title ?? to;
    return this.add('link', to, { title: `Link to ${title}` }, () => {
      const all = this.view.by('Gateway', 'site', this.site.name);
      const out = all.filter((g) =>
        g.members.some((m) => m.interfaces.some((f) => this.view.get('Network', f.network)?.purpose === 'uplink')),
      );
      const over = (out.length ? out : all).map((g) => this.gateway(g));
      return over.length ? [this.need(over, 'packets leave over it')] : this.machine(undefined);
    });
  }

  // Services of the site.

  /** DNS for a network, or for the site where it has no resolvers of its own. */
  private names(network?: string): string {
    return this.served('names', network);
  }
  private served(kind: 'names' | 'time', network?: string): string {
    const field = kind === 'names' ? 'resolvers' : 'ntp';
    const own = network ? this.view.get('Network', network) : undefined;
    const doc = own && serversOf(own[field]).length ? own : this.site;
    const list = serversOf(doc[field]);
    const what = kind === 'names' ? 'DNS' : 'Time';
    const title = doc.kind === 'Network' ? `${what} of ${doc.name}` : what;
    return this.add(kind, doc.kind === 'Network' ? doc.name : this.site.name, { title, path: '/addresses' }, () => [
      this.need(
        list.map((a) => this.at(a)),
        kind === 'names' ? 'one of its resolvers answers' : 'one of its time servers answers',
        { mends: () => this.others(kind, list).map((a) => this.alsoAsk(doc, field, list, a)) },
      ),
    ]);
  }
  /** Further servers that are known to answer: primaries of the zones of a site, and what other sites ask. */
  private others(kind: 'names' | 'time', list: readonly string[]): string[] {
    const zones = kind === 'names' ? this.view.by('Zone', 'site', this.site.name).map((z) => z.primary) : [];
    const sealed = this.site.reach === 'sealed';
    const elsewhere = sealed
      ? []
      : this.view.all('Site').flatMap((s) => (s.reach === 'sealed' ? [] : serversOf(kind === 'names' ? s.resolvers : s.ntp)));
    return [...new Set([...zones, ...elsewhere])].filter((a) => !list.includes(a)).slice(0, 8);
  }
  private alsoAsk(doc: Site | DocOf<'Network'>, field: 'resolvers' | 'ntp', list: readonly string[], address: string): Mend {
    return {
      label: `${field === 'ntp' ? 'Ask the time also of' : 'Ask names also of'} ${address}`,
      edits: [{ op: 'set', kind: doc.kind, key: doc.name, path: [field], value: [...list, address] }],
      any: () => [...list, address].map((a) => this.at(a)),
    };
  }
  private registry(r: DocOf<'Registry'>): string {
    if (r.site !== this.site.name) return this.link(r.site);
    const about = { title: `Registry ${r.name}`, path: `/images/registries` };
    const host = r.host;
    if (host) return this.add('registry', r.name, about, () => [this.need([this.host(host)], `it runs on ${host}`)]);
    const held = this.view.by('Reservation', 'owner', `registry ${r.name}`).find((x) => !x.resting);
    const where = held?.address ?? this.addressOf(hostOf(r.endpoint));
    const owner = where ? this.view.by('Reservation', 'address', where).find((x) => !x.resting)?.owner : undefined;
    if (!where || owner?.kind === 'registry')
      return this.add('registry', r.name, { ...about, like: 'device' }, () => this.machine(undefined));
    return this.add('registry', r.name, about, () => {
      const plan = owner?.kind === 'charter' ? this.plan(owner.name) : undefined;
      return [
        this.need([this.at(where)], `it answers at ${where}`),
        plan?.mirror?.name === r.name
          ? this.need(
              [`registry ${r.name}`],
              `${plan.charter.name}, which it runs in, takes its images from it, its own among them`,
              {
                unless: 'its own images still lie on the disks of the hosts',
                mends: () => this.otherMirrors(plan, r),
              },
            )
          : undefined,
      ];
    });
  }

  // Clusters.

  private plan(name: string): Computed | undefined {
    return this.view.get('Charter', name) ? planOf(this.view, name) : undefined;
  }
  private controlPlane(name: string): string {
    const plan = this.plan(name);
    const members = plan?.nodes.filter((n) => n.role === 'control-plane') ?? [];
    return this.add(
      'control-plane',
      name,
      { title: `Control plane of ${name}`, charter: name, path: `/clusters/${name}` },
      () => [
        this.need(
          members.map((n) => this.host(n.host)),
          members.length > 1
            ? `etcd wants ${plan?.quorum.majority ?? 1} of ${members.length} members`
            : 'the only member of etcd is there',
          { of: plan?.quorum.majority ?? 1 },
        ),
        plan &&
          this.need(
            serversOf(plan.charter.ntp).length
              ? serversOf(plan.charter.ntp).map((a) => this.at(a))
              : [this.served('time', plan.charter.machineNetwork)],
            'certificates and etcd want clocks that agree',
            { unless: 'the clocks of the hosts are right by themselves' },
          ),
      ],
    );
  }
  private nodes(name: string): string {
    const plan = this.plan(name);
    return this.add('nodes', name, { title: `Nodes of ${name}`, charter: name, path: `/clusters/${name}` }, () => [
      this.need([this.controlPlane(name)], 'nodes ask the API what to run'),
      plan && this.need([this.names(plan.charter.machineNetwork)], `nodes find the API by its name ${plan.api.name}`),
      this.need(plan ? answeringNodes(plan).map((n) => this.host(n.host)) : [], 'one of them is there'),
    ]);
  }
  private storage(name: string, of: string): string {
    const plan = this.plan(name);
    const c = plan?.storage.find((s) => s.name === of);
    const declared = plan?.charter.storage?.find((s) => s.name === of);
    const takes = declared?.attach;
    return this.add(
      'storage',
      `${name} ${of}`,
      { title: `Volumes of class ${of}`, takes, charter: name, path: `/clusters/${name}` },
      () => {
        const nodes = this.need([this.nodes(name)], 'a node attaches them');
        if (!plan || !c) return [nodes];
        if (c.kind === 'nfs') return [nodes, c.server ? this.need([this.at(c.server)], `they lie at ${c.server}`) : undefined];
        const on = storageNodes(plan.nodes).map((n) => this.host(n.host));
        const copies = Math.max(1, Math.min(c.copies, on.length));
        // Of n hosts any n − k + 1 have one of k copies among them.
        const of = on.length - copies + 1;
        return [
          nodes,
          this.need(
            on,
            of === on.length
              ? 'each has copies that no other has'
              : `${of} of ${on.length} hosts have a copy of everything among them`,
            {
              of,
            },
          ),
        ];
      },
    );
  }
  private services(name: string): string {
    const plan = this.plan(name);
    return this.add('services', name, { title: `Service addresses of ${name}`, charter: name, path: `/clusters/${name}` }, () => [
      this.need([this.nodes(name)], 'nodes answer for them'),
      this.need(plan ? answeringNodes(plan).map((n) => this.host(n.host)) : [], 'one of them answers'),
      plan?.charter.servicePool?.announce === 'bgp'
        ? this.need(
            (plan.charter.servicePool.peers ?? []).map((p) => this.at(p.address)),
            'a router is told of them',
          )
        : undefined,
    ]);
  }
  private cluster(name: string): void {
    const plan = this.plan(name);
    if (!plan?.nodes.length) return;
    this.nodes(name);
    if (plan.services.length || plan.inbound.address) this.services(name);
    const standard = plan.storage.find((c) => c.standard)?.name;
    const mirror = plan.mirror;
    const workers = answeringNodes(plan).map((n) => this.host(n.host));
    for (const w of plan.charter.workloads ?? []) {
      const classes = [...new Set((w.volumes ?? []).flatMap((v) => v.class ?? standard ?? []))];
      this.add(
        'work',
        `${name} ${w.namespace}/${w.name}`,
        { title: w.name, takes: w.ready, stops: usualTermination, charter: name, path: `/clusters/${name}` },
        () => [
          this.need([this.nodes(name)], 'its pods run on them'),
          this.need(workers, `it has ${counted(w.replicas, 'pod')} to place`),
          ...classes.map((c) => this.need([this.storage(name, c)], 'its volumes are of this class')),
          mirror &&
            this.need([this.registry(mirror)], 'its images come from there', {
              unless: 'its images still lie on the disks of the hosts',
              mends: () => this.otherMirrors(plan, mirror),
            }),
        ],
      );
    }
  }
  private otherMirrors(plan: Computed, mirror: DocOf<'Registry'>): Mend[] {
    return this.view
      .by('Registry', 'site', this.site.name)
      .filter((r) => r.name !== mirror.name && r.role !== 'source')
      .map((r) => ({
        label: `Take images from ${r.name}`,
        edits: [{ op: 'set', kind: 'Charter', key: plan.charter.name, path: ['mirror'], value: r.name }],
        any: () => [this.registry(r)],
      }));
  }
}
