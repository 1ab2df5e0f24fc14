import { createServer, type Server } from 'node:https';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { type Domain, readDomain } from '@praesidor/core/hosts';
import type { Pair } from './certificates.ts';
import type { Faults } from './faults.ts';
import type { Disk } from './disks.ts';
import type { Hardware, Lasting, Machine } from './machine.ts';

export interface HypervisorSpec {
  name: string;
  host: string;
  address: string;
  port: number;
  ca: string;
  user: string;
  password: string;
  cores: number;
  memoryGiB: number;
  keepsGiB: number;
  pools: { name: string; sizeGB: number; media: string }[];
  bridges: string[];
  images: string[];
  /** Guests that were there before. */
  guests?: { name: string; vcpu: number; memoryGiB: number; running: boolean }[];
}
interface Guest {
  domain: Domain;
  machine: Machine;
}
export interface SavedHypervisor {
  /** `holds`: what lies on it, while no guest has it. */
  volumes: { pool: string; name: string; sizeGB: number; image?: string | undefined; holds?: Disk | undefined }[];
  guests: { domain: Domain; running: boolean; state: Lasting }[];
}

/** A hypervisor: pools with volumes, guests that boot as machines do, and what it has not got it refuses. */
export class Hypervisor {
  readonly volumes = new Map<string, SavedHypervisor['volumes'][number]>();
  readonly guests = new Map<string, Guest>();
  constructor(
    readonly spec: HypervisorSpec,
    private readonly faults: Faults,
    private readonly machineOf: (hardware: Hardware) => Machine,
    private readonly changed: () => void,
  ) {}

  /** Goes on with what was saved, or begins with the guests that were there before. */
  restore(saved: SavedHypervisor | undefined): void {
    const old = (this.spec.guests ?? []).map((g) => ({
      domain: {
        name: g.name,
        uuid: `00000000-0000-8000-8000-${g.name.replace(/\D/g, '').padStart(12, '0')}`,
        vcpu: g.vcpu,
        memoryGiB: g.memoryGiB,
        disks: [],
        nics: [],
      },
      running: g.running,
      state: {},
    }));
    for (const v of saved?.volumes ?? []) this.volumes.set(`${v.pool}/${v.name}`, v);
    for (const g of saved?.guests ?? old) {
      const guest = this.put(g.domain);
      guest.machine.restore(g.state);
      if (g.running) guest.machine.powerOn();
    }
  }
  save = (): SavedHypervisor => ({
    volumes: [...this.volumes.values()],
    guests: [...this.guests.values()].map((g) => ({
      domain: g.domain,
      running: g.machine.power === 'On',
      state: g.machine.lasting(),
    })),
  });

  private put(domain: Domain): Guest {
    const before = this.guests.get(domain.name);
    const machine = this.machineOf({
      name: domain.name,
      hostName: domain.name,
      maker: 'guest',
      model: this.spec.name,
      serial: domain.uuid,
      cores: domain.vcpu,
      memoryGiB: domain.memoryGiB,
      disksGB: domain.disks.map((d) => this.volumes.get(`${d.pool}/${d.volume}`)?.sizeGB ?? 0),
      // A virtual disk has twenty letters for its serial (virtio 1.2 §5.2.6); what is longer is cut.
      diskSerials: domain.disks.map((d) => (d.serial ?? '').slice(0, 20)),
      macs: domain.nics.map((n) => n.mac),
      linkGbit: 10,
      firmware: '',
    });
    if (before) machine.restore(before.machine.lasting());
    else
      for (const [n, d] of domain.disks.entries()) {
        const holds = this.volumes.get(`${d.pool}/${d.volume}`)?.holds;
        if (holds) machine.disks.set(machine.serials[n] ?? '', holds);
      }
    machine.seed = domain.seed;
    const guest = { domain, machine };
    this.guests.set(domain.name, guest);
    this.changed();
    return guest;
  }
  private used = () =>
    [...this.guests.values()].filter((g) => g.machine.power === 'On').reduce((s, g) => s + g.domain.memoryGiB, 0);
  private freeIn = (pool: string) =>
    (this.spec.pools.find((p) => p.name === pool)?.sizeGB ?? 0) -
    [...this.volumes.values()].filter((v) => v.pool === pool).reduce((s, v) => s + v.sizeGB, 0);
  private seen = (g: Guest) => ({
    name: g.domain.name,
    state: g.machine.power === 'On' ? 'running' : 'off',
    vcpu: g.domain.vcpu,
    memoryGiB: g.domain.memoryGiB,
  });

  state() {
    return {
      cores: this.spec.cores,
      memoryGiB: this.spec.memoryGiB,
      freeGiB: this.spec.memoryGiB - this.spec.keepsGiB - this.used(),
      pools: this.spec.pools.map((p) => ({ name: p.name, sizeGB: p.sizeGB, freeGB: this.freeIn(p.name) })),
      bridges: this.spec.bridges,
      images: this.spec.images,
      guests: [...this.guests.values()].map(this.seen),
    };
  }

  volume(pool: string, name: string, sizeGB: number, image: string | undefined): [number, string?] {
    const key = `${pool}/${name}`;
    if (!this.spec.pools.some((p) => p.name === pool)) return [404, `there is no pool ${pool}`];
    const there = this.volumes.get(key);
    if (there) return there.sizeGB === sizeGB ? [200] : [409, `${name} is there with ${there.sizeGB} GB`];
    if (image && !this.spec.images.includes(image))
      return [404, `there is no image ${image}; there are ${this.spec.images.join(', ')}`];
    if (this.faults.has('hypervisor-disk', this.spec.name) || this.freeIn(pool) < sizeGB)
      return [
        507,
        `pool ${pool} has ${this.faults.has('hypervisor-disk', this.spec.name) ? 0 : this.freeIn(pool)} GB left, ${sizeGB} GB are asked`,
      ];
    this.volumes.set(key, { pool, name, sizeGB, ...(image ? { image } : {}) });
    this.changed();
    return [201];
  }
  dropVolume(pool: string, name: string): [number, string?] {
    const used = [...this.guests.values()].find((g) => g.domain.disks.some((d) => d.pool === pool && d.volume === name));
    if (used) return [409, `${used.domain.name} uses it`];
    this.changed();
    return this.volumes.delete(`${pool}/${name}`) ? [204] : [404, 'no such volume'];
  }
  define(name: string, xml: string): [number, string?] {
    let domain: Domain;
    try {
      domain = readDomain(xml);
    } catch (e) {
      return [400, `the domain cannot be read: ${(e as Error).message}`];
    }
    if (domain.name !== name) return [400, `the domain is called ${domain.name}`];
    if (this.guests.get(name)?.machine.power === 'On') return [409, `${name} is running`];
    const lost = domain.disks.find((d) => !this.volumes.has(`${d.pool}/${d.volume}`));
    if (lost) return [400, `there is no volume ${lost.pool}/${lost.volume}`];
    const bridge = domain.nics.find((n) => !this.spec.bridges.includes(n.bridge));
    if (bridge) return [400, `there is no bridge ${bridge.bridge}`];
    const there = this.guests.has(name);
    this.put(domain);
    return [there ? 200 : 201];
  }
  power(name: string, on: boolean): [number, string?] {
    const g = this.guests.get(name);
    if (!g) return [404, `there is no guest ${name}`];
    if (!on) {
      g.machine.powerOff();
      return [200];
    }
    const free = this.spec.memoryGiB - this.spec.keepsGiB - this.used();
    if (g.machine.power === 'Off' && (this.faults.has('hypervisor-memory', this.spec.name) || free < g.domain.memoryGiB))
      return [
        507,
        `${this.faults.has('hypervisor-memory', this.spec.name) ? 0 : free} GiB of memory are left, ${g.domain.memoryGiB} GiB are asked`,
      ];
    g.machine.powerOn();
    return [200];
  }
  undefine(name: string): [number, string?] {
    const g = this.guests.get(name);
    if (!g) return [404, `there is no guest ${name}`];
    if (g.machine.power === 'On') return [409, `${name} is running`];
    g.machine.close();
    // What lies on its volumes stays as long as they do.
    for (const [n, d] of g.domain.disks.entries()) {
      const volume = this.volumes.get(`${d.pool}/${d.volume}`);
      if (volume) volume.holds = g.machine.disks.get(g.machine.serials[n] ?? '');
    }
    this.guests.delete(name);
    this.changed();
    return [204];
  }
  one = (name: string) => {
    const g = this.guests.get(name);
    return g && this.seen(g);
  };
}

/** The driver interface of a hypervisor: REST over TLS, domains as libvirt's XML. */
export function hypervisorServer(h: Hypervisor, pair: Pair, faults: Faults): Server {
  return createServer({ key: pair.key, cert: pair.cert }, (req, res) => {
    if (faults.has('hypervisor-silent', h.spec.name)) return;
    void answer(h, req, res).catch(() => res.writeHead(500).end());
  });
}

async function answer(h: Hypervisor, req: IncomingMessage, res: ServerResponse): Promise<void> {
  const send = (status: number, body?: unknown) =>
    void res.writeHead(status, { 'content-type': 'application/json' }).end(body === undefined ? undefined : JSON.stringify(body));
  const told = ([status, message]: [number, string?]) => send(status, message ? { message } : status === 204 ? undefined : {});
  if (req.headers.authorization !== `Basic ${Buffer.from(`${h.spec.user}:${h.spec.password}`).toString('base64')}`)
    return send(401, { message: 'not authorised' });
  let text = '';
  for await (const chunk of req) {
    text += String(chunk);
    if (text.length > 300_000) return send(413, { message: 'too large' });
  }
  const [, version, kind = '', a = '', verb = '', b = ''] = (req.url ?? '').split('/').map(decodeURIComponent);
  if (version !== 'v1') return send(404, { message: 'nothing here' });
  const { method } = req;
  if (kind === 'state' && method === 'GET') return send(200, h.state());
  if (kind === 'pools' && verb === 'volumes') {
    if (method === 'DELETE') return told(h.dropVolume(a, b));
    const body = JSON.parse(text || '{}') as { sizeGB?: number; image?: string };
    if (method === 'PUT') return told(h.volume(a, b, Number(body.sizeGB), body.image));
  }
  if (kind === 'guests' && a) {
    const g = h.one(a);
    if (method === 'GET') return g ? send(200, g) : send(404, { message: `there is no guest ${a}` });
    if (method === 'PUT') return told(h.define(a, text));
    if (method === 'DELETE') return told(h.undefine(a));
    if (method === 'POST' && (verb === 'start' || verb === 'stop')) return told(h.power(a, verb === 'start'));
  }
  send(404, { message: 'nothing here' });
}
