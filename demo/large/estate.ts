import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { type Bill, type Doc, type Estate, emptyEstate, kinds, readDocuments, sliceOf } from '@praesidor/core/model';

/** How large, and which: the same numbers give the same estate, on any machine. */
export interface Size {
  hosts: number;
  sites: number;
  /** Begins the row of numbers that tells one estate of a size from another. */
  seed?: number;
}

/** Numbers from 0 to below 1, the same row for the same seed (mulberry32, public domain). */
function numbers(seed: number): () => number {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** What belongs to no site: the releases, add-ons, profiles, baselines and moulds of the demonstration, and the source of images. */
function common(): Doc[] {
  const wanted = new Set(['Release', 'Addon', 'Profile', 'Baseline', 'Mould']);
  return ['releases.yaml', 'breakwater-hall.yaml'].flatMap((file) =>
    readDocuments(readFileSync(new URL(`../estate/${file}`, import.meta.url), 'utf8'), file)
      .docs.map((d) => d.doc)
      .filter((d) => wanted.has(d.kind) || (d.kind === 'Registry' && d.role === 'source'))
      .map((d) => (d.kind === 'Registry' ? { ...d, site: 's000' } : d)),
  );
}

const ca = '-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n';

/**
 * Documents of many sites, each with networks, zones, a registry, hosts and a cluster, four reservations a host among them, and a mistake
 * here and there, as estates have them. A third of the clusters serve.
 *
 * @param size at the most 512 sites and 60 hosts at each
 */
export function largeEstate({ hosts, sites, seed = 1 }: Size): Doc[] {
  if (sites < 1 || sites > 512 || hosts / sites > 60) throw new Error('there is room for 512 sites of 60 hosts');
  const next = numbers(seed);
  const once = (share: number) => next() < share;
  const shared = common();
  const out = [...shared];
  const releases = shared.filter((d) => d.kind === 'Release');
  const addons = shared.filter((d) => d.kind === 'Addon');
  const add = (kind: keyof typeof kinds, doc: object) =>
    out.push((kinds[kind] as { parse: (d: object) => Doc }).parse({ kind, ...doc }));
  let number = 0;
  for (let s = 0; s < sites; s++) {
    const site = `s${String(s).padStart(3, '0')}`;
    const domain = `${site}.kestrelferries.example`;
    const [hi, lo] = [s >> 8, s & 255];
    const [machine, bmc, storage, tunnel] = [32, 64, 96, 112].map((b) => `10.${b + hi}.${lo}`);
    const here = Math.floor((hosts * (s + 1)) / sites) - Math.floor((hosts * s) / sites);
    const reach = once(0.2) ? 'sealed' : once(0.5) ? 'thin' : 'open';
    add('Site', {
      name: site,
      title: `Station ${s}`,
      form: reach === 'sealed' ? 'sealed-room' : reach === 'thin' ? 'edge' : 'hall',
      reach,
      ...(reach === 'thin' ? { link: { rateMbit: 8 + Math.floor(next() * 100) } } : {}),
      domain,
      timezone: 'Europe/Lisbon',
      resolvers: once(0.03) ? `${machine}.250 ${machine}.251` : [`${machine}.250`, `${machine}.251`],
      ntp: [`${machine}.252`],
      racks: [{ name: 'R1', units: 60 }],
      zones: [
        { name: 'A', rack: 'R1', from: 1, to: 20 },
        { name: 'B', rack: 'R1', from: 21, to: 40 },
        { name: 'C', rack: 'R1', from: 41, to: 60 },
      ],
    });
    add('Network', {
      name: `${site}-machine`,
      site,
      purpose: 'machine',
      vlan: 100,
      prefix: `${machine}.0/24`,
      gateway: `${machine}.1`,
      dhcp: [{ name: 'lease', range: `${machine}.230-${machine}.239` }],
      pools: [
        { name: 'virtual', range: `${machine}.2-${machine}.9`, use: 'virtual' },
        { name: 'nodes', range: `${machine}.10-${machine}.79`, use: 'host' },
      ],
    });
    add('Network', { name: `${site}-bmc`, site, purpose: 'management', vlan: 101, prefix: `${bmc}.0/24`, gateway: `${bmc}.1` });
    add('Network', { name: `${site}-store`, site, purpose: 'storage', vlan: 102, prefix: `${storage}.0/24`, mtu: 9000 });
    add('Network', {
      name: `${site}-tunnel`,
      site,
      purpose: 'tunnel',
      vlan: 103,
      prefix: `${tunnel}.0/24`,
      mtu: once(0.02) ? 1500 : 9000,
      endpoints: 'host',
    });
    const zone = { site, primary: `${machine}.250`, servers: [`ns1.${domain}`], contact: `desk.${domain}`, key: 'dns' };
    add('Zone', { name: domain, ...zone });
    for (const net of [machine, bmc]) add('Zone', { name: `${net?.split('.').reverse().join('.')}.in-addr.arpa`, ...zone });
    add('Registry', {
      name: `${site}-registry`,
      site,
      role: 'starter',
      endpoint: `registry.${domain}:5000`,
      ca,
      diskGB: 400,
      credential: 'registry',
    });
    const reserve = (network: string, address: string, name: string, owner: object, mac?: string) =>
      add('Reservation', { network, address, name, owner, origin: 'by-hand', ...(mac ? { mac } : {}) });
    reserve(`${site}-machine`, `${machine}.248`, `registry.${domain}`, { kind: 'registry', name: `${site}-registry` });
    reserve(`${site}-machine`, `${machine}.250`, `ns1.${domain}`, { kind: 'site', name: site });
    const serving = once(1 / 3);
    const charter = `c${String(s).padStart(3, '0')}`;
    const workers = Math.max(1, Math.min(12, here - 4));
    const fits: string[] = [];
    for (let h = 0; h < here; h++) {
      const name = `${site}-h${String(h + 1).padStart(2, '0')}`;
      const id = (number++).toString(16).padStart(6, '0');
      const mac = (k: number) => `52:8a:${k.toString(16).padStart(2, '0')}:${id.match(/../g)?.join(':')}`;
      const good = !once(0.02);
      const role = fits.length < 3 ? 'control-plane' : 'worker';
      const held = serving && good && fits.length < 3 + workers;
      if (good) fits.push(name);
      add('Host', {
        name,
        site,
        state: held ? 'serving' : 'fit',
        rack: 'R1',
        unit: h + 1,
        zone: 'ABC'[h % 3],
        ...(held ? { held: { charter, role } } : {}),
        bmc: { address: `${bmc}.${h + 10}`, credential: 'bmc' },
        facts: {
          at: '2026-11-20T09:00:00Z',
          source: 'bmc',
          maker: 'Harrow Works',
          model: 'HW-220',
          serial: `HW${id}`,
          arch: 'x86-64',
          cores: 32,
          memoryGiB: 128,
          disks: [
            { bay: 'bay 1', sizeGB: 480, media: 'nvme', serial: `HW${id}-D1` },
            ...(good ? [{ bay: 'bay 2', sizeGB: 1920, media: 'nvme', serial: `HW${id}-D2` }] : []),
          ],
          nics: [1, 2].map((k) => ({ name: `eno${k}`, mac: mac(k), speedGbit: 25, link: true })),
          firmware: { bmc: '4.10', system: once(0.03) ? '2.10' : '2.21' },
          bootMode: 'UEFI',
          power: 'On',
        },
      });
      reserve(`${site}-bmc`, `${bmc}.${h + 10}`, `bmc-${name}.${domain}`, { kind: 'host', name }, mac(9));
      reserve(`${site}-store`, `${storage}.${h + 10}`, `store-${name}.${domain}`, { kind: 'host', name });
      reserve(`${site}-tunnel`, `${tunnel}.${h + 10}`, `tunnel-${name}.${domain}`, { kind: 'host', name });
      if (held)
        reserve(
          `${site}-machine`,
          `${machine}.${10 + fits.length - 1}`,
          `${name}.${domain}`,
          { kind: 'charter', name: charter, use: `node ${name}` },
          mac(1),
        );
      else reserve(`${site}-machine`, `${machine}.${h + 100}`, `desk-${h}.${domain}`, { kind: 'hand', name: 'desk' });
    }
    reserve(`${site}-machine`, `${machine}.2`, `kube.${charter}.${domain}`, { kind: 'charter', name: charter, use: 'api' });
    reserve(`${site}-machine`, `${machine}.3`, `*.in.${charter}.${domain}`, { kind: 'charter', name: charter, use: 'inbound' });
    const pods = `10.${128 + (s >> 2)}.${(s & 3) * 64}.0/18`;
    add('Charter', {
      name: charter,
      site,
      purpose: 'what runs ashore',
      release: releases[s % releases.length]?.name,
      addons: addons.slice(0, 1 + (s % 2)).map((a) => a.name),
      mirror: `${site}-registry`,
      controlPlane: { count: here < 4 ? 1 : once(0.02) ? 2 : 3 },
      workers: { count: workers },
      machineNetwork: `${site}-machine`,
      pods: { range: pods },
      services: { range: '172.20.0.0/18' },
      overlay: { kind: 'geneve' },
      servicePool: { range: once(0.02) ? `${machine}.224-${machine}.235` : `${machine}.210-${machine}.219` },
      sshKeys: ['ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIAVVzOcSmv5nKHWk2sCsXuUyg2RYTi2i4dWjcd3wZkEP desk'],
    });
  }
  return out;
}

/** What has been seen of it: bills of the releases, and what registries hold; one in ten lacks something. */
export function largeObserved(docs: readonly Doc[], at: string): Estate['observed'] {
  const digest = (text: string) => `sha256:${createHash('sha256').update(text).digest('hex')}`;
  const observed = emptyEstate(at).observed;
  for (const d of docs) {
    if (d.kind !== 'Release' && d.kind !== 'Addon') continue;
    const bill: Bill = { name: d.name, at, images: [], blobs: {} };
    for (const c of d.components) {
      const blobs = [0, 1, 2, 3].map((n) => digest(`${c.image} ${n}`));
      for (const b of blobs) bill.blobs[b] = { bytes: 12_000, declaredBytes: 24_000_000 };
      const manifest = digest(c.image);
      bill.images.push({ ref: c.image, component: c.name, on: c.on, digest: manifest, manifests: [manifest], blobs });
    }
    observed.bills[d.name] = bill;
  }
  const bills = Object.values(observed.bills);
  const all = bills.flatMap((b) => [...Object.keys(b.blobs), ...b.images.flatMap((i) => i.manifests)]);
  let n = 0;
  for (const r of docs) {
    if (r.kind !== 'Registry' || r.role === 'source') continue;
    observed.registries[r.name] = { at, digests: n++ % 10 ? all : all.slice(3), free: 200e9, used: 20e9 };
  }
  return observed;
}

/** Documents and what was seen, as one estate. */
export function asEstate(docs: readonly Doc[], now = '2026-11-28T09:00:00Z'): Estate {
  const estate = emptyEstate(now);
  for (const d of docs) (estate[sliceOf[d.kind]] as Doc[]).push(d);
  estate.keys = ['bmc', 'dns', 'registry'].map((name) => ({
    name,
    use: name === 'dns' ? 'tsig' : name,
    places: ['10.0.0.0/8', '*.kestrelferries.example'],
  }));
  estate.observed = largeObserved(docs, now);
  return estate;
}
