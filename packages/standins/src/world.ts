import { imagesOn } from './node.ts';
import { mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import type { Server } from 'node:http';
import { join } from 'node:path';
import { mapAddress, type AddressMapping } from '@praesidor/protocols/dial';
import { Store } from '@praesidor/registry';
import { bmcServer } from './bmc.ts';
import { kept, makeCertificate, type Pair } from './certificates.ts';
import { Clock } from './clock.ts';
import { Clusters, type SavedCluster } from './cluster/index.ts';
import { DnsStandin, type DnsZone } from './dns.ts';
import { TimeStandin } from './time.ts';
import { Faults } from './faults.ts';
import { Hypervisor, hypervisorServer, type HypervisorSpec, type SavedHypervisor } from './hypervisor.ts';
import { type Hardware, type Lasting, Machine } from './machine.ts';
import { Objects, objectsServer, type ObjectsSpec } from './objects.ts';
import { Provider, type ProviderSpec } from './provider.ts';
import { type RouterSpec, Routers, type SavedRouter } from './router.ts';
import { faultyRegistry, type Publication, publish } from './source.ts';
import { type SshKeys, sshKeys } from '@praesidor/protocols/ssh';

export interface Surroundings {
  addressMap: readonly AddressMapping[];
  cluster: Clusters;
  /** Folder in which the folders of machines lie that hold real bytes. */
  folders: string;
}
export interface RegistrySpec {
  name: string;
  host: string;
  address: string;
  port: number;
  ca: string;
  days: number;
  users?: Record<string, string>;
  writers?: string[];
  publications: Publication[];
  /** Documents of what it publishes, one a tag. */
  documents: { tag: string; text: string }[];
  scheme?: 'basic' | 'bearer';
  /** Its certificate can be handed over; otherwise it is laid by hand. */
  takesCertificates?: boolean;
  without?: string[];
}
export interface WorldSpec {
  machines: Hardware[];
  dns: {
    servers: string[];
    keys: { name: string; secret: string }[];
    zones: { name: string; serial: number; server: string; records: string[] }[];
  };
  /** Addresses of time servers. */
  time?: string[];
  registries: RegistrySpec[];
  hypervisors: HypervisorSpec[];
  /** Stores of objects. */
  objects?: ObjectsSpec[];
  /** Providers of sign-ins. */
  providers?: ProviderSpec[];
  /** Machines that route. */
  routers?: RouterSpec[];
  authorities: { name: string; title: string }[];
}

/**
 * The outside world: management controllers, machines, name servers, registries, clusters. Every device
 * listens at the place where the addressMap lead, and keeps its state in `dir`.
 */
export class World {
  readonly clock: Clock;
  readonly faults = new Faults();
  readonly machines = new Map<string, Machine>();
  readonly authorities = new Map<string, Pair>();
  readonly stores = new Map<string, Store>();
  readonly hypervisors = new Map<string, Hypervisor>();
  readonly objects = new Map<string, Objects>();
  readonly providers = new Map<string, Provider>();
  readonly routers = new Routers(() => this.save());
  /** By machine: what lies in /etc/ssh/ssh_host_ed25519_key.pub there. */
  private readonly hostKeys = new Map<string, string>();
  dns!: DnsStandin;
  private readonly times: TimeStandin[] = [];
  readonly clusters: Clusters;
  private readonly servers: Server[] = [];

  constructor(
    readonly spec: WorldSpec,
    readonly dir: string,
    readonly addressMap: readonly AddressMapping[],
    speed: number,
  ) {
    this.clock = new Clock(speed);
    this.clusters = new Clusters(
      this.clock,
      (address, port) => mapAddress(addressMap, address, port),
      () => this.save(),
      (cluster) => this.faults.has('api-silent', cluster),
    );
  }

  /** What people are given to trust: an authority a file. */
  private writeAuthorities(): void {
    for (const [name, pair] of this.authorities) writeFileSync(join(this.dir, `${name}.pem`), pair.cert);
  }

  async start(): Promise<this> {
    mkdirSync(this.dir, { recursive: true });
    for (const a of this.spec.authorities)
      this.authorities.set(
        a.name,
        await kept(join(this.dir, `ca-${a.name}.json`), () => makeCertificate({ commonName: a.title, isCa: true, days: 3650 })),
      );
    this.writeAuthorities();
    await this.startDns();
    for (const r of this.spec.registries) await this.startRegistry(r);
    for (const o of this.spec.objects ?? []) await this.startObjects(o);
    for (const p of this.spec.providers ?? []) await this.startProvider(p);
    const saved = this.load();
    this.clusters.restore(saved.clusters);
    for (const h of this.spec.machines) {
      if (!h.bmc) continue;
      const machine = this.machineOf(h);
      this.machines.set(h.name, machine);
      const self = (suffix: string) =>
        kept(join(this.dir, `bmc-${h.name}${suffix}.json`), () => makeCertificate({ commonName: `${h.serial}.bmc`, days: 1825 }));
      await this.listen(
        bmcServer(machine, await self(''), await self('-other'), this.faults) as unknown as Server,
        h.bmc.address,
        443,
      );
      const state = saved.machines[h.name];
      if (state) machine.restore(state);
      if (state ? state.power === 'On' : h.on) machine.powerOn();
    }
    for (const h of this.spec.hypervisors) await this.startHypervisor(h, saved.hypervisors?.[h.name]);
    for (const r of this.spec.routers ?? []) await this.startRouter(r, saved.routers?.[r.name]);
    return this;
  }

  private machineOf = (h: Hardware) =>
    new Machine(
      h,
      this.clock,
      this.faults,
      { addressMap: this.addressMap, cluster: this.clusters, folders: join(this.dir, 'folders') },
      () => this.save(),
    );

  private async startHypervisor(spec: HypervisorSpec, saved: SavedHypervisor | undefined): Promise<void> {
    const h = new Hypervisor(spec, this.faults, this.machineOf, () => this.save());
    this.hypervisors.set(spec.name, h);
    h.restore(saved);
    const pair = await kept(join(this.dir, `hypervisor-${spec.name}.json`), () =>
      makeCertificate({ commonName: spec.host, names: [spec.host], ca: this.authorities.get(spec.ca) as Pair }),
    );
    await this.listen(hypervisorServer(h, pair, this.faults) as unknown as Server, spec.address, spec.port);
  }

  private async startRouter(spec: RouterSpec, saved: SavedRouter | undefined): Promise<void> {
    const keys = await kept<SshKeys>(join(this.dir, `router-${spec.name}.json`), sshKeys);
    this.hostKeys.set(spec.name, keys.public);
    const router = this.routers.add(spec, keys.private, saved);
    const [first = ''] = Object.values(spec.interfaces);
    const at = mapAddress(this.addressMap, first.split('/')[0] ?? '', 22);
    await new Promise<void>((done, fail) => router.door.once('error', fail).listen(at.port, at.host, done));
  }

  /** Every machine there is, guests among them. */
  everyMachine = (): Machine[] => [
    ...this.machines.values(),
    ...[...this.hypervisors.values()].flatMap((h) => [...h.guests.values()].map((g) => g.machine)),
  ];

  private async startDns(): Promise<void> {
    const saved = this.load();
    const zones = this.spec.dns.zones.map(
      (z): DnsZone =>
        saved.zones.find((s) => s.name === z.name) ?? {
          name: z.name,
          serial: z.serial,
          soa: `${z.server} hostmaster.${z.name} SERIAL 3600 900 1209600 300`,
          records: z.records.map((line) => {
            const [name = '', type = '', ...value] = line.split(/\s+/);
            return {
              name: name === '@' ? z.name : name.endsWith(z.name) ? name : `${name}.${z.name}`,
              type,
              ttl: 3600,
              value: value.join(' '),
            };
          }),
        },
    );
    this.dns = new DnsStandin(
      zones,
      this.spec.dns.keys.map((k) => ({ name: k.name, secret: Buffer.from(k.secret, 'base64') })),
      this.faults,
      () => this.save(),
    );
    for (const server of this.spec.time ?? []) {
      const at = mapAddress(this.addressMap, server, 123);
      const time = new TimeStandin(
        () => (this.faults.has('time-wrong', server) ? 600_000 : 0),
        2,
        () => this.faults.has('time-silent', server),
      );
      await time.listen(at.host, at.port);
      this.times.push(time);
    }
    for (const server of this.spec.dns.servers) {
      const at = mapAddress(this.addressMap, server, 53);
      await this.dns.listen(at.host, at.port);
    }
  }

  private async startRegistry(r: RegistrySpec): Promise<void> {
    const store = await new Store(join(this.dir, 'registries', r.name)).open();
    await publish(store, r.publications, new Set(r.without), r.documents);
    this.stores.set(r.name, store);
    const ca = this.authorities.get(r.ca) as Pair;
    const file = join(this.dir, `registry-${r.name}.json`);
    const pair = await kept(file, () => makeCertificate({ commonName: r.host, names: [r.host], days: r.days, ca }));
    const wrong = await kept(join(this.dir, `registry-${r.name}-wrong.json`), () =>
      makeCertificate({ commonName: 'depot.elsewhere.example', names: ['depot.elsewhere.example'], ca }),
    );
    const ended = await kept(join(this.dir, `registry-${r.name}-ended.json`), () =>
      makeCertificate({ commonName: r.host, names: [r.host], days: -0.5, ca }),
    );
    await this.listen(
      faultyRegistry(
        r.name,
        store,
        pair,
        wrong,
        ended,
        this.faults,
        r.users,
        r.writers,
        r.scheme,
        r.takesCertificates ? (p) => writeFileSync(file, JSON.stringify(p), { mode: 0o600 }) : undefined,
      ),
      r.address,
      r.port,
    );
  }

  private async startObjects(spec: ObjectsSpec): Promise<void> {
    const objects = new Objects(spec, join(this.dir, 'objects', spec.name), this.faults);
    this.objects.set(spec.name, objects);
    const ca = this.authorities.get(spec.ca) as Pair;
    const pair = await kept(join(this.dir, `objects-${spec.name}.json`), () =>
      makeCertificate({ commonName: spec.host, names: [spec.host], days: 825, ca }),
    );
    await this.listen(objectsServer(objects, pair) as unknown as Server, spec.address, spec.port);
  }

  private async startProvider(spec: ProviderSpec): Promise<void> {
    const provider = new Provider(spec, this.faults);
    this.providers.set(spec.name, provider);
    await provider.changeKey();
    const ca = this.authorities.get(spec.ca) as Pair;
    const pair = await kept(join(this.dir, `provider-${spec.name}.json`), () =>
      makeCertificate({ commonName: spec.host, names: [spec.host], days: 825, ca }),
    );
    // Its page first: what it says of itself names where that is.
    await this.listenAt(provider.pages(), { host: '127.0.0.1', port: spec.page });
    await this.listen(provider.server(pair), spec.address, spec.port);
  }

  private listen(server: Server, address: string, port: number): Promise<void> {
    return this.listenAt(server, mapAddress(this.addressMap, address, port));
  }
  private async listenAt(server: Server, at: { host: string; port: number }): Promise<void> {
    await new Promise<void>((done, fail) => {
      server.once('error', fail);
      server.listen(at.port, at.host, done);
    });
    this.servers.push(server);
  }

  private file = () => join(this.dir, 'state.json');
  private load(): Saved {
    try {
      return JSON.parse(readFileSync(this.file(), 'utf8')) as Saved;
    } catch {
      return { machines: {}, zones: [] };
    }
  }
  private timer: NodeJS.Timeout | undefined;
  private closed = false;
  private save(): void {
    // What machines do while they are closed is kept no more.
    if (!this.closed) this.timer ??= setTimeout(() => this.write(), 200);
  }
  private write(): void {
    clearTimeout(this.timer);
    this.timer = undefined;
    const state: Saved = {
      machines: Object.fromEntries([...this.machines].map(([n, m]) => [n, { power: m.power, ...m.lasting() }])),
      hypervisors: Object.fromEntries([...this.hypervisors].map(([n, h]) => [n, h.save()])),
      zones: this.dns.zones,
      clusters: this.clusters.save(),
      routers: this.routers.save(),
    };
    writeFileSync(`${this.file()}.new`, JSON.stringify(state), { mode: 0o600 });
    renameSync(`${this.file()}.new`, this.file());
  }

  state() {
    return {
      speed: this.clock.speed,
      faults: this.faults.list(),
      machines: this.everyMachine().map((m) => ({
        name: m.hardware.name,
        hostName: m.hardware.hostName ?? '',
        bmc: m.hardware.bmc?.address ?? '',
        power: m.power,
        stage: m.stage,
        pulled: imagesOn(m),
      })),
      hypervisors: [...this.hypervisors.values()].map((h) => ({ name: h.spec.name, guests: h.guests.size })),
      registries: this.spec.registries.map((r) => ({ name: r.name, host: r.host })),
      stores: [...this.objects.keys()],
      providers: [...this.providers.keys()],
      zones: this.dns.zones.map((z) => ({ name: z.name, serial: z.serial, records: z.records.length })),
      timeServers: this.spec.time ?? [],
      routers: Object.fromEntries(this.hostKeys),
      clusters: this.clusters.list(),
      authorities: Object.fromEntries([...this.authorities].map(([n, p]) => [n, p.cert])),
    };
  }

  async close(): Promise<void> {
    this.write();
    this.closed = true;
    for (const m of this.everyMachine()) m.close();
    this.clusters.close();
    this.dns.close();
    this.routers.close();
    for (const t of this.times) t.close();
    for (const s of this.servers) {
      s.closeAllConnections();
      await new Promise((done) => s.close(done));
    }
  }
}
interface Saved {
  machines: Record<string, Lasting & { power: 'On' | 'Off' }>;
  hypervisors?: Record<string, SavedHypervisor>;
  zones: DnsZone[];
  clusters?: Record<string, SavedCluster>;
  routers?: Record<string, SavedRouter>;
}
