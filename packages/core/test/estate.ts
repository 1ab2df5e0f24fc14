import { keysNamedIn } from '../src/access/index.ts';
import { type Doc, type Estate, emptyEstate, type Host, kinds, type Network, sliceOf } from '../src/model/index.ts';

const digest = (n: number) => `sha256:${n.toString(16).padStart(64, '0')}`;
const v1 = { apiVersion: 'praesidor/v1' as const };

export const host = (i: number, more: Partial<Host> = {}): Host => ({
  ...v1,
  kind: 'Host',
  name: `lr-${String(i).padStart(2, '0')}`,
  site: 'lr',
  state: 'fit',
  rack: 'R1',
  unit: i * 2,
  zone: 'ABC'[i % 3] as string,
  bmc: { address: `10.62.7.${10 + i}`, credential: 'bmc-lr', fingerprint: Array(32).fill('AB').join(':') },
  facts: {
    at: '2026-11-20T09:00:00Z',
    source: 'bmc',
    maker: 'Harrow Works',
    model: 'HW-220',
    serial: `HW${i}`,
    arch: 'x86-64',
    cores: i > 3 ? 32 : 16,
    memoryGiB: i > 3 ? 128 : 64,
    disks: [
      { bay: 'bay 1', sizeGB: 480, media: 'nvme', serial: `HW${i}-D1` },
      { bay: 'bay 2', sizeGB: 1920, media: 'nvme', serial: `HW${i}-D2` },
    ],
    nics: [{ name: 'eno1', mac: `52:8a:1c:40:00:${i.toString(16).padStart(2, '0')}`, speedGbit: 25, link: true }],
    firmware: { bmc: '4.10', system: '2.21' },
    bootMode: 'UEFI',
    power: 'Off',
  },
  ...more,
});

export const network = (name: string, purpose: Network['purpose'], prefix: string, vlan: number, more: object = {}): Doc =>
  kinds.Network.parse({ kind: 'Network', name, site: 'lr', purpose, prefix, vlan, ...more });

/** A small estate about which no check finds anything: the case that does not fire, for all of them at once. */
export function goodEstate(): Estate {
  const estate = emptyEstate('2026-11-23T09:00:00Z');
  const docs: Doc[] = [
    kinds.Site.parse({
      kind: 'Site',
      name: 'lr',
      title: 'Lantern Rock',
      form: 'sealed-room',
      reach: 'sealed',
      domain: 'lr.kestrelferries.example',
      resolvers: ['10.62.8.53', '10.62.8.54'],
      ntp: ['10.62.8.60'],
      racks: [{ name: 'R1' }],
    }),
    network('lr-machine', 'machine', '10.62.8.0/25', 812, {
      gateway: '10.62.8.1',
      dhcp: [{ name: 'lease', range: '10.62.8.100-10.62.8.119' }],
      pools: [
        { name: 'virtual', range: '10.62.8.20-10.62.8.31', use: 'virtual' },
        { name: 'nodes', range: '10.62.8.32-10.62.8.59', use: 'host' },
      ],
    }),
    network('lr-bmc', 'management', '10.62.7.0/26', 811),
    network('lr-tun-host', 'tunnel', '10.62.10.0/27', 814, {
      mtu: 9000,
      gateway: '10.62.10.1',
      endpoints: 'host',
      routesTo: ['lr-tun-gate'],
    }),
    network('lr-tun-gate', 'tunnel', '10.62.10.32/28', 815, {
      mtu: 9000,
      gateway: '10.62.10.33',
      endpoints: 'gateway',
      routesTo: ['lr-tun-host'],
    }),
    ...['lr.kestrelferries.example', '8.62.10.in-addr.arpa', '7.62.10.in-addr.arpa'].map((name) =>
      kinds.Zone.parse({
        kind: 'Zone',
        name,
        site: 'lr',
        primary: '10.62.8.53',
        servers: ['ns1.lr.kestrelferries.example'],
        contact: 'hostmaster.kestrelferries.example',
        key: 'lr-dns',
      }),
    ),
    kinds.Baseline.parse({ kind: 'Baseline', name: 'hw-220', model: 'HW-220', system: '2.19' }),
    ...[1, 2, 3, 4, 5, 6].map((i) => host(i)),
    kinds.Registry.parse({
      kind: 'Registry',
      name: 'upstream',
      site: 'lr',
      role: 'source',
      endpoint: 'images.upstream.example',
      ca: '-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n',
    }),
    kinds.Registry.parse({
      kind: 'Registry',
      name: 'lr-registry',
      site: 'lr',
      role: 'starter',
      endpoint: 'registry.lr.kestrelferries.example:5000',
      diskGB: 1000,
      credential: 'lr-registry',
      ca: '-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n',
    }),
    kinds.Release.parse({
      kind: 'Release',
      name: '1.34.2',
      version: '1.34.2',
      arch: ['x86-64'],
      source: 'upstream',
      components: ['etcd', 'kube-apiserver', 'kube-controller-manager', 'kube-scheduler', 'load-balancer']
        .map((name) => ({ name, image: `images.upstream.example/core/${name}:1.34.2`, on: 'control-plane' }))
        .concat(
          ['pause', 'pod-network', 'kube-proxy', 'service-announcer'].map((name) => ({
            name,
            image: `images.upstream.example/core/${name}:1.34.2`,
            on: 'node',
          })),
          [
            { name: 'cluster-dns', image: 'images.upstream.example/core/cluster-dns:1.34.2', on: 'cluster' },
            { name: 'system', image: 'images.upstream.example/core/system:1.34.2', on: 'boot' },
          ],
        ),
    }),
    kinds.Charter.parse({
      kind: 'Charter',
      name: 'plover',
      site: 'lr',
      release: '1.34.2',
      mirror: 'lr-registry',
      controlPlane: { count: 3 },
      workers: { count: 3, minCores: 32 },
      machineNetwork: 'lr-machine',
      pods: { range: '10.128.0.0/16' },
      services: { range: '10.129.0.0/18' },
      overlay: { kind: 'geneve' },
      servicePool: { range: '10.62.8.64-10.62.8.79' },
      sshKeys: [
        'ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIGJ1aWxkZXItb2Yta2VzdHJlbC1mZXJyaWVzLWRlbW8= builder@kestrelferries.example',
      ],
    }),
    kinds.Reservation.parse({
      kind: 'Reservation',
      address: '10.62.8.53',
      network: 'lr-machine',
      name: 'ns1.lr.kestrelferries.example',
      owner: { kind: 'hand', name: 'names desk' },
    }),
    kinds.Reservation.parse({
      kind: 'Reservation',
      address: '10.62.8.62',
      network: 'lr-machine',
      name: 'registry.lr.kestrelferries.example',
      owner: { kind: 'registry', name: 'lr-registry' },
    }),
  ];
  for (const doc of docs) (estate[sliceOf[doc.kind]] as Doc[]).push(doc);
  estate.keys = keysNamedIn(docs);
  const components = estate.releases[0]?.components ?? [];
  const bill = {
    name: '1.34.2',
    at: estate.now,
    images: components.map((c, i) => ({
      ref: c.image,
      component: c.name,
      on: c.on,
      digest: digest(1000 + i),
      manifests: [digest(1000 + i)],
      blobs: [digest(i), digest(500), digest(501)],
    })),
    blobs: Object.fromEntries(
      [...components.map((_, i) => digest(i)), digest(500), digest(501)].map((d) => [
        d,
        { bytes: 10_000, declaredBytes: 20_000_000 },
      ]),
    ),
  };
  estate.observed.bills['1.34.2'] = bill;
  estate.observed.registries['lr-registry'] = {
    at: estate.now,
    digests: [...Object.keys(bill.blobs), ...bill.images.flatMap((i) => i.manifests)],
    certificate: {
      subject: 'registry',
      issuer: 'Lantern Rock CA',
      names: ['registry.lr.kestrelferries.example'],
      notBefore: '2026-01-01T00:00:00Z',
      notAfter: '2027-06-01T00:00:00Z',
      fingerprint: 'AB',
      trusted: true,
    },
  };
  return estate;
}

/** The same estate, whose charter has an add-on with these programs on its workers: `inbound-router`, for example. */
export function withAddon(e: Estate, ...components: string[]): Estate {
  const addon = kinds.Addon.parse({
    kind: 'Addon',
    name: components[0],
    title: components[0],
    version: '1.12.0',
    source: 'upstream',
    components: components.map((name) => ({ name, image: `images.upstream.example/addons/${name}:1.12.0`, on: 'worker' })),
  });
  return {
    ...e,
    addons: [...e.addons, addon],
    charters: e.charters.map((c) => ({ ...c, addons: [...c.addons, addon.name] })),
  };
}
