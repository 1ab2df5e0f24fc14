import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { actPlace } from '../moves/index.ts';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, host, network, withAddon } from '../../test/estate.ts';
import { applyEdits, type Charter, type Doc, type Edit, type Estate, kinds } from '../model/index.ts';
import { resolve } from '../charter/index.ts';
import { roomOf } from '../rehearse/index.ts';
import { behind } from '../images/index.ts';
import type { View } from '../reading/index.ts';
import { nextMoves } from '../moves/index.ts';
import { catalogue, check, checkWords, findingsTable, makeChecker } from './index.ts';

type Change = (e: Estate) => Estate;
const set =
  (
    kind:
      | 'Charter'
      | 'BackupStore'
      | 'Gateway'
      | 'Network'
      | 'Site'
      | 'Host'
      | 'Registry'
      | 'Zone'
      | 'Release'
      | 'Addon'
      | 'Template'
      | 'Reservation',
    key: string,
    path: (string | number)[],
    value: unknown,
  ): Change =>
  (e) =>
    applyEdits(e, [{ op: 'set', kind, key, path, value }]);
const put =
  (doc: object): Change =>
  (e) =>
    applyEdits(e, [
      { op: 'put', doc: (kinds as never as Record<string, { parse: (d: object) => Doc }>)[(doc as Doc).kind]?.parse(doc) as Doc },
    ]);
const plover = (path: string[], value: unknown) => set('Charter', 'plover', path, value);
const machine = (path: (string | number)[], value: unknown) => set('Network', 'lr-machine', path, value);
const ofTeam =
  (team: object): Change =>
  (e) =>
    plover(['team'], 'radar')(put({ kind: 'Team', name: 'radar', ...team })(e));
const observe =
  (change: (o: Estate['observed']) => void): Change =>
  (e) => {
    const observed = structuredClone(e.observed);
    change(observed);
    return { ...e, observed };
  };
const reserve = (address: string, more: object = {}) =>
  put({ kind: 'Reservation', address, network: 'lr-machine', owner: { kind: 'hand', name: 'radar desk' }, ...more });
const record = (name: string, type: string, value: string, zone = 'lr.kestrelferries.example') =>
  put({ kind: 'Record', zone, name, type, value });
const certificate = (more: object) =>
  observe((o) => {
    Object.assign(o.registries['lr-registry']?.certificate ?? {}, more);
  });
const second =
  (more: Partial<Charter>): Change =>
  (e) =>
    put({
      ...(e.charters[0] as Charter),
      name: 'teal',
      servicePool: undefined,
      pods: { range: '10.130.0.0/16', perNode: 24, most: 110 },
      services: { range: '10.131.0.0/18' },
      controlPlane: { count: 1 },
      workers: { count: 0 },
      ...more,
    })(e);

const hypervisor = (name: string) =>
  put({
    kind: 'Hypervisor',
    name,
    site: 'lr',
    endpoint: `${name}.lr.kestrelferries.example:8443`,
    credential: 'hv-lr',
    cores: 32,
    memoryGiB: 128,
    pools: [{ name: 'fast', media: 'nvme', sizeGB: 2000 }],
    networks: [{ network: 'lr-machine', bridge: 'br812' }],
  });
const mould = (name: string, memoryGiB: number) =>
  put({ kind: 'Mould', name, vcpu: 4, memoryGiB, disks: [{ sizeGB: 100 }], image: 'debian-12', networks: ['lr-machine'] });
const cast = (name: string, m: string, on: string) =>
  put({ kind: 'Host', name, site: 'lr', guest: { mould: m, hypervisor: on, pools: ['fast'] } });

/** A pool that is announced by BGP to two routers of the network, but for what is said otherwise. */
const bgp = (more: object) =>
  plover(['servicePool'], {
    range: '10.62.8.64-10.62.8.79',
    announce: 'bgp',
    as: 64512,
    peers: [
      { address: '10.62.8.2', as: 64513 },
      { address: '10.62.8.3', as: 64513 },
    ],
    ...more,
  });
/** Desks, an uplink for each of two gateways, and the router of the desks. Nothing is found in it but for what is said otherwise. */
const gated =
  (more: { a?: object; b?: object; gate?: object; desk?: object; desks?: object } = {}): Change =>
  (e) =>
    [
      network('desks', 'client', '10.62.40.0/24', 840, { gateway: '10.62.40.1', ...more.desks }),
      network('up-a', 'uplink', '10.62.0.0/29', 820, { gateway: '10.62.0.1' }),
      network('up-b', 'uplink', '10.62.0.8/29', 821, { gateway: '10.62.0.9' }),
      gateway('desk', {
        members: [
          {
            name: 'desk-router',
            interfaces: [
              { network: 'desks', address: '10.62.40.1' },
              { network: 'up-a', address: '10.62.0.1' },
              { network: 'up-b', address: '10.62.0.9' },
            ],
            routes: [{ to: '10.62.8.0/25', via: '10.62.0.2' }],
          },
        ],
        ...more.desk,
      }),
      gateway('gate', {
        addresses: [{ network: 'lr-machine', address: '10.62.8.1', id: 8 }],
        members: [
          {
            name: 'gate-a',
            priority: 150,
            interfaces: [
              { network: 'lr-machine', address: '10.62.8.2' },
              { network: 'lr-tun-gate', address: '10.62.10.34' },
              { network: 'up-a', address: '10.62.0.2' },
            ],
            routes: [{ to: '10.62.40.0/24', via: '10.62.0.1' }],
            ...more.a,
          },
          {
            name: 'gate-b',
            interfaces: [
              { network: 'lr-machine', address: '10.62.8.3' },
              { network: 'lr-tun-gate', address: '10.62.10.35' },
              { network: 'up-b', address: '10.62.0.10' },
            ],
            routes: [{ to: '10.62.40.0/24', via: '10.62.0.9' }],
            ...more.b,
          },
        ],
        ...more.gate,
      }),
    ].reduce((now, doc) => put(doc)(now), e);
const gateway = (name: string, doc: object) => kinds.Gateway.parse({ kind: 'Gateway', name, site: 'lr', ...doc });
const face = (network: string, address: string, more: object = {}) => ({ network, address, ...more });
const both =
  (gate: object, pool: object): Change =>
  (e) =>
    bgp(pool)(gated({ gate })(e));
const speaks = { as: 64513, ways: 9, hold: 30 };
const planned = (services: object[], range = '10.62.8.64-10.62.8.79') =>
  plover(['servicePool'], { range, announce: 'arp', services });
const classes = (...list: object[]) => plover(['storage'], list);
const kept = { name: 'kept', kind: 'copies', standard: true };
/** A workload of the cluster. */
const runs = (more: object) => plover(['workloads'], [{ name: 'archive', ready: 10, ...more }]);
/** plover with two volumes and a store at another site; `plans` back them up. */
const backed =
  (plans: object[], volume: object = {}, store: object = {}): Change =>
  (e) =>
    plover(
      ['backups'],
      plans,
    )(
      classes(kept)(
        runs({ kind: 'StatefulSet', volumes: [{ name: 'data', sizeGB: 100, changesGB: 10 }], ...volume })(
          put({ ...farStore, ...store })(
            set(
              'Site',
              'lr',
              ['reach'],
              'open',
            )(
              put({
                kind: 'Site',
                name: 'bw',
                title: 'Breakwater Hall',
                form: 'hall',
                reach: 'open',
                domain: 'bw.kestrelferries.example',
              })(withKeys(e)),
            ),
          ),
        ),
      ),
    );
/** gannet keeps a standby copy of what plover runs; plover is backed up as `plans` say. */
const stood =
  (standby: object = {}, { site = 'bw', plans = [nightly] as object[], sizeGB = 100 } = {}): Change =>
  (e) => {
    const there = backed(plans)(e);
    return put({
      ...(there.charters[0] as Charter),
      name: 'gannet',
      site,
      backups: undefined,
      workloads: [{ name: 'kept', kind: 'StatefulSet', volumes: [{ name: 'data', sizeGB }] }],
      standbys: [{ workload: 'kept', cluster: 'plover', of: 'archive', ...standby }],
    })(there);
  };
/** What gannet holds was there so many hours ago. */
const holds =
  (hours: number, more: object = {}) =>
  (e: Estate) =>
    observe((o) => {
      o.backups.gannet = {
        volumes: {},
        standbys: { kept: { state: 'follows', holds: new Date(Date.parse(e.now) - hours * 3_600_000).toISOString(), ...more } },
      };
    })(e);
const withKeys: Change = (e) => ({
  ...e,
  keys: [
    ...e.keys,
    { name: 'bw-objects', use: 'objects', places: ['BackupStore bw-objects'] },
    { name: 'sealing', use: 'encryption', places: ['BackupStore bw-objects', 'BackupStore lr-objects'] },
  ],
});
const farStore = {
  kind: 'BackupStore',
  name: 'bw-objects',
  site: 'bw',
  endpoint: 'objects.bw.kestrelferries.example:9000',
  bucket: 'backups',
  credential: 'bw-objects',
  key: 'sealing',
  rateMbit: 1000,
};
const nightly = { name: 'nightly', store: 'bw-objects', at: '0 4 * * *', keep: { last: 7 }, trial: '0 5 * * 0' };
const manifest = (image: string) => `apiVersion: apps/v1
kind: DaemonSet
metadata: {name: agent, namespace: kube-system}
spec: {template: {spec: {containers: [{name: agent, image: '${image}'}]}}}
`;
const asks =
  (...questions: object[]): Change =>
  (e) =>
    set('Addon', 'log-shipper', ['questions'], questions)(withAddon(e, 'log-shipper'));

/** A template that gives plover as it is, and that it came from. */
const fromTemplate: Change = (e) => {
  const { apiVersion: _, kind: __, ...rest } = structuredClone(e.charters[0] as Charter);
  return plover(['template'], { name: 'room', version: 1 })(put({ kind: 'Template', name: 'room', charter: rest })(e));
};

/** plover stands: its hosts serve, and its addresses are reserved. */
const serving: Change = (e) => {
  const plan = resolve(e.charters[0] as Charter, e);
  return {
    ...e,
    reservations: [...e.reservations, ...plan.reservations],
    hosts: e.hosts.flatMap((h) => {
      const n = plan.nodes.find((x) => x.host === h.name);
      return n ? [{ ...h, state: 'serving' as const, held: { charter: 'plover', role: n.role } }] : [];
    }),
  };
};
/** One of its workers is given back, or more happened to it. */
const gaveBack =
  (name: string, more: object = {}): Change =>
  (e) => ({
    ...e,
    hosts: e.hosts.map((h) => (h.name === name ? { ...h, state: 'resting' as const, held: undefined, ...more } : h)),
  });

/** An old release of 2 GB that nobody names, held beside the one that is used. */
const oldRelease: Change = (e) => {
  const digest = `sha256:${'d'.repeat(64)}`;
  const [used] = e.releases;
  const ref = 'images.upstream.example/core/old:1.30.0';
  const image = { ref, component: 'old', on: 'node', digest, manifests: [digest], blobs: [digest] };
  return observe((o) => {
    const r = o.registries['lr-registry'];
    o.bills['1.30.0'] = { name: '1.30.0', at: '', images: [image], blobs: { [digest]: { bytes: 1e6, declaredBytes: 2e9 } } };
    if (r) {
      r.names = [
        ...(r.names ?? []),
        ...(o.bills['1.34.2']?.images ?? []).map((i) => `${i.ref.slice(i.ref.indexOf('/') + 1)}@${i.digest}`),
        `core/old:1.30.0@${digest}`,
      ];
      r.digests = [...r.digests, digest];
    }
  })({ ...e, releases: [...e.releases, { ...(used as (typeof e.releases)[number]), name: '1.30.0', version: '1.30.0' }] });
};
/** The registry of Lantern Rock lacks three layers, and has room for so many bytes. */
const roomFor = (free: number): Change =>
  observe((o) => {
    const r = o.registries['lr-registry'];
    r?.digests.splice(0, 3);
    if (r) r.free = free;
  });

/** For each check, the change to a good estate at which it fires. */
/** A second operating system beside the first one of the release. */
const nextSystem: Change = (e) =>
  set(
    'Release',
    '1.34.2',
    ['components'],
    [...(e.releases[0]?.components ?? []), { name: 'next', image: 'images.upstream.example/core/next:1.34.2', on: 'boot' }],
  )(e);

const cases: Record<string, Change> = {
  'NET-001': put(network('lr-wide', 'storage', '10.62.8.0/24', 900)),
  'NET-002': machine(['gateway'], '10.62.9.1'),
  'NET-003': machine(['gateway'], '10.62.8.101'),
  'NET-004': machine(['gateway'], undefined),
  'NET-005': machine(['pools'], [{ name: 'far', range: '10.62.9.1-10.62.9.4', use: 'host' }]),
  'NET-006': machine(['vlan'], 811),
  'NET-007': set('Site', 'lr', ['resolvers'], '10.62.8.53 10.62.8.54'),
  'NET-008': set('Site', 'lr', ['resolvers'], ['10.62.8.53', 'ns2', '10.62.8.54']),
  'NET-009': set('Site', 'lr', ['resolvers'], ['10.62.8.53']),
  'NET-010': set('Network', 'lr-tun-gate', ['routesTo'], []),
  'NET-011': set('Network', 'lr-tun-host', ['mtu'], 1500),
  'NET-012': machine(['routes'], [{ to: '10.70.0.0/16', via: '10.99.0.1' }]),
  'NET-013': machine(['routesTo'], ['lr-tun-host']),
  'NET-014': set('Network', 'lr-bmc', ['parent'], 'lr-machine'),
  'NET-015': machine(['routes'], [{ to: '10.70.0.0/16', via: '10.62.8.101' }]),
  'HST-001': set('Host', 'lr-02', ['facts', 'firmware', 'system'], '2.9'),
  'HST-002': put(
    host(7, {
      facts: {
        ...(host(7).facts as NonNullable<ReturnType<typeof host>['facts']>),
        disks: [{ bay: 'bay 1', sizeGB: 480, media: 'nvme' }],
      },
    }),
  ),
  'HST-003': observe((o) => {
    o.sightings.push({
      address: '10.62.7.12',
      site: 'lr',
      at: '2026-11-23T08:02:00Z',
      fingerprint: Array(32).fill('CD').join(':'),
      accepted: false,
    });
  }),
  'HST-004': set('Host', 'lr-03', ['facts', 'nics', 0, 'mac'], '52:8a:1c:40:00:02'),
  'HST-005': set('Host', 'lr-03', ['unit'], 4),
  'HST-008': (e) => set('Host', 'lr-01', ['facts', 'drawsW'], 900)(set('Site', 'lr', ['racks', 0, 'limitW'], 600)(e)),
  'HST-009': set('Host', 'lr-01', ['facts', 'disks', 1, 'lifeLeft'], 4),
  // 60 + 60 GiB on hv-1 of 120: hv-2 has 120 − 90 = 30 GiB left
  'HST-010': (e) =>
    [
      hypervisor('hv-1'),
      hypervisor('hv-2'),
      mould('m60', 60),
      mould('m90', 90),
      cast('g1', 'm60', 'hv-1'),
      cast('g2', 'm90', 'hv-2'),
    ].reduce((x, c) => c(x), e),
  'HST-011': (e) => [hypervisor('hv-1'), mould('m130', 130), cast('g1', 'm130', 'hv-1')].reduce((x, c) => c(x), e),
  'HST-012': (e) =>
    observe((o) => {
      o.hypervisors['hv-1'] = {
        at: e.now,
        cores: 32,
        memoryGiB: 128,
        freeGiB: 100,
        pools: [{ name: 'fast', sizeGB: 2000, freeGB: 2000 }],
        bridges: [],
        images: [],
        guests: [],
      };
    })(hypervisor('hv-1')(e)),
  'HST-013': set('Host', 'lr-06', ['state'], 'resting'),
  'HST-014': (e) => [hypervisor('hv-1'), cast('g1', 'lost', 'hv-1')].reduce((x, c) => c(x), e),
  'HST-017': set('Host', 'lr-03', ['facts', 'unreadParts'], ['drives: 500']),
  'HST-016': observe((o) => {
    o.controllers['lr-03'] = { at: '2026-11-23T08:15:00Z', error: '10.62.7.13: it does not answer', fault: 'silent' };
  }),
  'HST-015': set('Host', 'lr-03', ['uplink'], { adapters: ['eno7'], tagged: false }),
  'HST-006': set('Host', 'lr-03', ['bmc', 'address'], '10.99.0.3'),
  'HST-007': observe((o) => {
    o.sightings.push({ address: '10.62.7.41', site: 'lr', at: '2026-11-23T08:15:00Z', fingerprint: 'x', accepted: false });
  }),
  'ADR-001': plover(['servicePool', 'range'], '10.62.8.96-10.62.8.111'),
  'ADR-002': reserve('10.62.8.70'),
  'ADR-003': reserve('10.62.8.105'),
  'ADR-004': reserve('10.62.9.5'),
  'ADR-005': machine(
    ['dhcp'],
    [
      { name: 'lease', range: '10.62.8.2-10.62.8.19' },
      { name: 'more', range: '10.62.8.33-10.62.8.125' },
    ],
  ),
  'ADR-006': (e) => plover(['api', 'address'], '10.62.8.25')(reserve('10.62.8.25')(e)),
  'ADR-007': (e) => reserve('10.62.8.90', { mac: '72:b5:e8:12:9e:04' })(reserve('10.62.8.91', { mac: '72:b5:e8:12:9e:04' })(e)),
  'ADR-008': reserve('10.62.8.90', { until: '2026-11-26T00:00:00Z' }),
  'ADR-009': plover(['api', 'address'], '10.62.8.105'),
  'ADR-010': (e) => gaveBack('lr-06')(serving(e)),
  'DNS-001': (e) =>
    observe((o) => {
      o.zones['lr.kestrelferries.example'] = {
        at: e.now,
        serial: 1,
        records: [{ name: 'ns1.lr.kestrelferries.example', type: 'A', ttl: 60, value: '10.62.8.99' }],
      };
    })(e),
  'DNS-002': record('chart-plotter', 'A', '10.62.8.61'),
  'DNS-003': (e) => record('x', 'CNAME', 'y.lr.kestrelferries.example')(record('x', 'TXT', 'text')(e)),
  'DNS-004': reserve('10.62.8.70', { name: 'radar.elsewhere.example', address: '10.62.8.90' }),
  'DNS-005': reserve('10.62.8.90', { name: 'a.lr.kestrelferries.example' }),
  'DNS-006': record('*.in.plover', 'A', '10.62.8.99'),
  'DNS-007': observe((o) => {
    o.zones['lr.kestrelferries.example'] = { at: '', serial: 0, records: [], error: 'it does not answer' };
  }),
  'DNS-008': record('web', 'CNAME', 'gone.lr.kestrelferries.example'),
  'DNS-009': (e) => ({ ...e, zones: e.zones.filter((z) => z.name !== '8.62.10.in-addr.arpa') }),
  'IMG-001': observe((o) => {
    o.registries['lr-registry']?.digests.splice(0, 3);
  }),
  'IMG-002': certificate({ notAfter: '2026-12-02T06:00:00Z' }),
  'IMG-003': certificate({ names: ['depot.elsewhere.example'] }),
  'IMG-004': set('Registry', 'lr-registry', ['diskGB'], 0.1),
  'IMG-005': observe((o) => {
    const r = o.registries['lr-registry'];
    if (r) r.error = 'it does not answer';
  }),
  'IMG-006': observe((o) => {
    o.registries['lr-registry'] = { at: '', error: 'registry.lr: nothing listens there', digests: [] };
  }),
  'IMG-007': observe((o) => {
    const r = o.registries['lr-registry'];
    const image = o.bills['1.34.2']?.images[0];
    if (r && image) r.names = [`${image.ref.slice(image.ref.indexOf('/') + 1)}@sha256:${'f'.repeat(64)}`];
  }),
  'IMG-008': observe((o) => {
    const r = o.registries['lr-registry'];
    const damaged = [{ digest: `sha256:${'e'.repeat(64)}`, why: 'its bytes have another digest' }];
    if (r) r.scrub = { running: false, done: 9, of: 9, bytes: 900, endedAt: '2026-11-22T03:00:00Z', damaged, missing: [] };
  }),
  'IMG-009': (e) => oldRelease(e),
  // An add-on for older releases, and a kubelet three minor versions behind where two are allowed.
  'IMG-010': (e) => ({
    ...e,
    addons: e.addons.map((a) => ({ ...a, runsWith: '<1.30.0' })),
    releases: e.releases.map((r) => ({
      ...r,
      skew: [{ component: 'old', against: 'new', behind: 2, ahead: 0 }],
      components: [
        ...r.components,
        { name: 'old', image: 'x', on: 'node' as const, version: '1.31.0' },
        { name: 'new', image: 'y', on: 'node' as const, version: '1.34.0' },
      ],
    })),
  }),
  'IMG-011': (e) => ({
    ...e,
    registries: e.registries.map((r) =>
      r.role === 'source' ? r : { ...r, keeps: [{ source: 'images.upstream.example/core', under: 'kept' }] },
    ),
  }),
  'IMG-012': roomFor(0),
  'KEY-001': (e) => ({ ...e, keys: e.keys.filter((k) => k.name !== 'lr-dns') }),
  'KEY-003': (e) => ({
    ...e,
    keys: e.keys.map((k) => (k.name === 'lr-registry' ? { ...k, places: ['Registry bw-registry', '*.bw.example'] } : k)),
  }),
  'KEY-002': plover(['sshKeys'], []),
  'CHT-001': (e) => plover(['workers', 'count'], 2)(plover(['controlPlane', 'count'], 4)(e)),
  'CHT-002': plover(['pods', 'range'], '10.62.0.0/16'),
  'CHT-003': second({ pods: { range: '10.128.64.0/18', perNode: 24, most: 110 } }),
  'CHT-004': plover(['services', 'range'], '10.128.64.0/18'),
  'CHT-005': plover(['workers', 'count'], 9),
  'CHT-006': plover(['pods', 'range'], '10.128.0.0/22'),
  'CHT-007': plover(['overlay', 'mtu'], 1500),
  'CHT-008': (e) =>
    ['lr-01', 'lr-02', 'lr-03'].reduce(
      (now, h) => set('Host', h, ['zone'], 'A')(now),
      plover(['controlPlane', 'hosts'], ['lr-01', 'lr-02', 'lr-03'])(e),
    ),
  'CHT-009': plover(['release'], '1.34.3'),
  'CHT-010': plover(['arch'], 'arm64'),
  'CHT-011': plover(['pods', 'perNode'], 26),
  'CHT-014': plover(['services', 'range'], '10.160.0.0/11'),
  'CHT-013': machine(['dhcp'], []),
  'CHT-012': set('Host', 'lr-02', ['facts', 'disks', 1, 'serial'], undefined),
  'NET-016': machine(['gateway'], '10.62.8.127'),
  'NET-017': reserve('10.62.8.1', { owner: { kind: 'host', name: 'lr-01' } }),
  'NET-018': machine(
    ['pools'],
    [
      { name: 'virtual', range: '10.62.8.20-10.62.8.31', use: 'virtual' },
      { name: 'nodes', range: '10.62.8.30-10.62.8.59', use: 'host' },
    ],
  ),
  'NET-019': set('Site', 'lr', ['ntp'], []),
  'NET-020': set('Site', 'lr', ['ntp'], ['10.62.8.101']),
  'NET-021': (e) => ({
    ...e,
    zones: [...e.zones, { ...(e.zones[0] as (typeof e.zones)[number]), name: 'far.example', site: 'lx' }],
  }),
  'NET-022': set('Site', 'lr', ['reach'], 'thin'),
  'NET-023': (e) =>
    put({ kind: 'Network', name: 'bw-machine', site: 'bw', purpose: 'storage', prefix: '10.62.8.0/25' })(
      put({ kind: 'Site', name: 'bw', title: 'Breakwater Hall', form: 'hall', reach: 'open', domain: 'bw.example' })(e),
    ),
  'NET-024': gated({ b: { interfaces: [face('lr-machine', '10.62.9.3')] } }),
  'NET-025': gated({ b: { interfaces: [face('lr-machine', '10.62.8.2'), face('up-b', '10.62.0.10')] } }),
  'NET-026': gated({ desk: { addresses: [{ network: 'lr-machine', address: '10.62.8.5', id: 8 }] } }),
  'NET-027': gated({ a: { interfaces: [face('lr-tun-host', '10.62.10.4')] } }),
  // 8,960 bytes and 58 of headers make 9,018: 18 more than the links carry.
  'NET-028': gated({ gate: { tunnels: { kind: 'geneve', inside: 8960 } } }),
  'NET-029': gated({ a: { routes: [{ to: '10.62.40.0/24', via: '10.62.0.9' }] } }),
  'NET-030': gated({ gate: { routes: [{ to: '10.70.0.0/16', via: '10.62.8.101' }] } }),
  'NET-031': gated({ b: { routes: [] } }),
  'NET-032': (e) => machine(['gateway'], '10.62.8.2')(gated()(e)),
  'NET-033': gated({ gate: { addresses: [{ network: 'up-a', address: '10.62.0.3', id: 3 }] } }),
  'NET-034': gated({ b: { priority: 150 } }),
  'NET-035': gated({
    gate: {
      addresses: [
        { network: 'lr-machine', address: '10.62.8.1', id: 8 },
        { network: 'lr-tun-gate', address: '10.62.10.40', id: 9, leads: 'gate-b' },
      ],
      rules: [{ do: 'deny', from: '10.62.40.0/24', to: '10.62.7.0/26' }],
    },
  }),
  'NET-036': gated({ gate: { nat: [{ from: '10.62.8.0/25', to: '10.99.0.1' }] } }),
  // 64,512 ports for 64 nodes are 1,008 for each.
  'NET-037': (e) =>
    plover(
      ['workers', 'count'],
      61,
    )(
      Array.from({ length: 60 }, (_, i) => i + 10)
        .map((i) => host(i, { bmc: undefined, unit: 1 } as never))
        .reduce(
          (now, h) => put(h)(now),
          machine(
            ['pools', 1, 'range'],
            '10.62.8.32-10.62.8.99',
          )(
            plover(
              ['servicePool'],
              undefined,
            )(machine(['dhcp'], [])(gated({ gate: { nat: [{ from: '10.62.8.0/25', to: '10.62.0.2', out: 'up-a' }] } })(e))),
          ),
        ),
    ),
  'NET-038': gated({
    gate: {
      rules: [
        { do: 'allow', from: '10.62.40.0/24' },
        { do: 'deny', from: '10.62.40.128/25', protocol: 'tcp', port: 22 },
      ],
    },
  }),
  'NET-039': gated({
    desks: { dhcp: [{ name: 'lease', range: '10.62.40.100-10.62.40.199', routes: [{ to: '10.62.8.0/25', via: '10.62.40.1' }] }] },
  }),
  'NET-040': gated({
    desks: { dhcp: [{ name: 'lease', range: '10.62.40.100-10.62.40.199', routes: [{ to: '0.0.0.0/0', via: '10.62.41.1' }] }] },
  }),
  'NET-041': gated({ b: { interfaces: [face('lr-machine', '10.62.8.3', { mtu: 9000 }), face('up-b', '10.62.0.10')] } }),
  'NET-042': gated({
    b: {
      interfaces: [face('lr-machine', '10.62.8.3'), face('up-a', '10.62.0.3')],
      routes: [{ to: '10.62.40.0/24', via: '10.62.0.1' }],
    },
  }),
  'NET-043': gated({
    gate: { tunnels: { kind: 'geneve' } },
    b: { interfaces: [face('lr-machine', '10.62.8.3'), face('up-b', '10.62.0.10')] },
  }),
  'NET-044': gated({
    gate: { rules: [{ do: 'deny', from: '10.62.0.0/29', to: '10.62.8.0/25', protocol: 'tcp', port: 22 }] },
    desk: {
      members: [
        {
          name: 'desk-router',
          interfaces: [face('desks', '10.62.40.1'), face('up-a', '10.62.0.1'), face('lr-machine', '10.62.8.5')],
        },
      ],
    },
  }),
  'NET-045': gated({ gate: { bgp: { as: 3320 } } }),
  'NET-046': (e) => second({})(machine(['precinct'], 'plover')(e)),
  'NET-047': put(network('lr-left', 'machine', '10.62.128.0/26', 860, { precinct: 'gone' })),
  'NET-048': (e) =>
    put(
      network('lr-precincts', 'machine', '10.62.128.0/24', 859, {
        precincts: { length: 26, vlans: { first: 812, last: 812 }, gateway: 'gate' },
      }),
    )(gated({})(e)),
  'NET-049': put(
    network('lr-precincts', 'machine', '10.62.128.0/24', 859, {
      precincts: { length: 26, vlans: { first: 860, last: 869 }, gateway: 'gone' },
    }),
  ),
  'NET-050': (e) =>
    plover(['proxy'], { url: 'http://proxy.lr.kestrelferries.example:3128' })(
      gated({ a: { routes: [{ to: '0.0.0.0/0', via: '10.62.0.5' }] } })(e),
    ),
  'SVC-015': plover(
    ['nodePorts'],
    [
      { name: 'ais-feed', port: 30_080 },
      { name: 'tide', port: 30_080 },
    ],
  ),
  'SVC-014': reserve('10.62.8.70', { owner: { kind: 'charter', name: 'plover', use: 'service default/archive' } }),
  'SVC-001': both({ bgp: { ...speaks, as: 64999 } }, {}),
  'SVC-002': planned([{ name: 'one' }, { name: 'two' }, { name: 'three' }], '10.62.8.64-10.62.8.65'),
  'SVC-003': planned([{ name: 'one', address: '10.62.8.90' }]),
  'SVC-004': planned([
    { name: 'one', address: '10.62.8.70' },
    { name: 'two', address: '10.62.8.70' },
  ]),
  // Pods run elsewhere after 50 + 300 s; the hold timer is 400.
  'SVC-005': both({ bgp: { ...speaks, hold: 400 } }, { hold: 400 }),
  'SVC-006': both({ bgp: speaks }, { bfd: { interval: 300, missed: 3 } }),
  'SVC-007': both({ bgp: { ...speaks, ways: 1 } }, {}),
  'SVC-008': gated({
    desk: {
      members: [
        { name: 'desk-router', interfaces: [face('desks', '10.62.40.1'), face('up-a', '10.62.0.1'), face('up-b', '10.62.0.9')] },
      ],
    },
  }),
  'SVC-009': both(
    { bgp: { ...speaks, as: 64512 } },
    {
      peers: [
        { address: '10.62.8.2', as: 64512 },
        { address: '10.62.8.3', as: 64512 },
      ],
    },
  ),
  'SVC-010': (e) => planned([{ name: 'one' }])(gated({ gate: { bgp: speaks } })(e)),
  'SVC-013': (e) => plover(['apart'], ['teal'])(second({})(e)),
  'SVC-012': (e) =>
    set(
      'Release',
      '1.34.2',
      ['components'],
      e.releases[0]?.components.filter((c) => c.name !== 'service-announcer'),
    )(e),
  'SVC-011': both({ bgp: speaks }, { range: '10.62.40.64-10.62.40.79' }),
  'ADR-011': plover(['servicePool', 'range'], '10.62.9.64-10.62.9.79'),
  'ADR-012': second({ servicePool: { range: '10.62.8.72-10.62.8.87', announce: 'arp' } }),
  'ADR-013': (e) => plover(['api', 'address'], '10.62.8.25')(plover(['inbound', 'address'], '10.62.8.25')(e)),
  'ADR-014': (e) => second({ api: { address: '10.62.8.25' } })(plover(['api', 'address'], '10.62.8.25')(e)),
  'ADR-015': reserve('10.62.8.90', { owner: { kind: 'host', name: 'lr-99' } }),
  'ADR-016': reserve('10.62.8.127'),
  'ADR-017': (e) =>
    reserve('10.62.8.90', { name: 'x.lr.kestrelferries.example' })(
      reserve('10.62.8.91', { name: 'x.lr.kestrelferries.example', owner: { kind: 'hand', name: 'other desk' } })(e),
    ),
  'DNS-010': second({ api: { name: 'kube.plover.lr.kestrelferries.example' } }),
  'DNS-011': plover(['api', 'name'], 'kube.elsewhere.example'),
  'DNS-012': record('kube.plover', 'A', '10.62.8.99'),
  'DNS-013': set('Registry', 'lr-registry', ['endpoint'], 'depot.lr.kestrelferries.example:5000'),
  'DNS-014': set(
    'Zone',
    'lr.kestrelferries.example',
    ['servers'],
    ['ns1.lr.kestrelferries.example', 'ns9.lr.kestrelferries.example'],
  ),
  'CHT-015': plover(['services', 'range'], '10.62.8.48/28'),
  'CHT-016': plover(['pods', 'range'], '169.254.0.0/16'),
  'CHT-017': plover(['pods', 'range'], '11.0.0.0/16'),
  'CHT-018': plover(['services', 'range'], 'fd00:99::/112'),
  'CHT-019': plover(['workers', 'count'], 1),
  'CHT-020': (e) =>
    ['lr-04', 'lr-05'].reduce(
      (now, h) => set('Host', h, ['zone'], 'B')(now),
      plover(['workers'], { count: 2, hosts: ['lr-04', 'lr-05'] })(e),
    ),
  'CHT-021': plover(['workers'], { count: 3, hosts: ['lr-04', 'lr-05', 'lr-99'] }),
  // A /21 divided into blocks of /24 makes 8; with 6 hosts there, 3 and 5 are asked for.
  'CHT-022': (e) => plover(['workers', 'count'], 5)(plover(['pods', 'range'], '10.128.0.0/21')(e)),
  'CHT-023': plover(['api', 'address'], '10.62.8.90'),
  'CHT-024': plover(['timers'], { grace: 20 }),
  'CHT-025': plover(['certificates'], { days: 400, caDays: 365 }),
  'HST-018': set('Host', 'lr-03', ['bmc', 'address'], '10.62.7.12'),
  'HST-019': set('Host', 'lr-03', ['facts', 'serial'], 'HW2'),
  'HST-020': set('Host', 'lr-03', ['bmc'], undefined),
  'HST-021': set('Host', 'lr-03', ['facts', 'at'], '2026-06-01T09:00:00Z'),
  'HST-022': set('Host', 'lr-03', ['held'], { charter: 'gone', role: 'worker' }),
  'HST-023': set('Host', 'lr-03', ['rack'], 'R2'),
  'IMG-013': set('Registry', 'lr-registry', ['host'], 'lr-99'),
  'IMG-014': set('Registry', 'lr-registry', ['ca'], undefined),
  'IMG-015': set('Registry', 'lr-registry', ['credential'], undefined),
  'IMG-016': plover(['mirror'], 'upstream'),
  'IMG-017': (e) =>
    set(
      'Site',
      'lr',
      ['reach'],
      'open',
    )(
      plover(
        ['mirror'],
        'bw-registry',
      )(
        put({
          kind: 'Registry',
          name: 'bw-registry',
          site: 'bw',
          role: 'standing',
          endpoint: 'registry.bw.example',
          credential: 'lr-registry',
          ca: e.registries[1]?.ca,
        })(put({ kind: 'Site', name: 'bw', title: 'Breakwater Hall', form: 'hall', reach: 'open', domain: 'bw.example' })(e)),
      ),
    ),
  'CHT-026': plover(['workers', 'taints'], ['use=archive:NoSchedule']),
  'CHT-027': plover(['workers', 'labels'], ['disk=fast', 'node-role.kubernetes.io/archive=yes']),
  'CHT-028': (e) => mould('node', 32)(plover(['workers'], { count: 3, from: 'metal', mould: 'node' })(e)),
  'CHT-029': plover(['workers', 'zones'], ['A', 'B', 'CC']),
  'CHT-030': (e) => set('Release', '1.34.2', ['components', 5, 'arch'], ['arm64'])(e),
  'CHT-031': plover(['servicePool', 'announce'], 'bgp'),
  'CHT-032': bgp({ peers: [{ address: '10.62.8.2', as: 64513 }] }),
  'CHT-033': bgp({
    peers: [
      { address: '10.62.8.2', as: 64513 },
      { address: '10.62.9.2', as: 64513 },
    ],
  }),
  'CHT-034': bgp({ as: 3320 }),
  'CHT-035': bgp({ announce: 'arp' }),
  'CHT-036': (e) => asks({ key: 'days', ask: 'How many days are logs kept?', type: 'number' })(e),
  'CHT-037': plover(['ntp'], '10.62.8.60, clock'),
  'CHT-038': plover(['pools'], [{ name: 'gate', count: 1, roles: ['inbound'] }]),
  'CHT-039': (e) =>
    ['lr-01', 'lr-02', 'lr-03'].reduce(
      (now, h) => set('Host', h, ['feed'], 'A')(now),
      plover(['controlPlane', 'hosts'], ['lr-01', 'lr-02', 'lr-03'])(plover(['workers', 'count'], 2)(e)),
    ),
  'CHT-040': plover(['networks'], ['lr-machine']),
  'CHT-041': plover(['networks'], ['lr-tun-host']),
  'CHT-042': plover(['second'], { network: 'lr-tun-host', pods: 'fd00:128::/48', perNode: 64, services: 'fd00:129::/112' }),
  'CHT-043': plover(['api'], { port: 10250 }),
  'CHT-044': (e) => set('Release', '1.34.2', ['components', 5, 'systems'], ['next'])(nextSystem(e)),
  'CHT-045': (e) =>
    plover(['workers'], { count: 1, hosts: ['lr-06'], system: 'next' })(
      set('Host', 'lr-06', ['guest'], { mould: 'node', hypervisor: 'lr-hv', pools: [] })(nextSystem(e)),
    ),
  'STO-001': classes(
    { name: 'fast', kind: 'local', standard: true },
    { name: 'slow', kind: 'nfs', server: '10.62.8.70', path: '/v', standard: true },
  ),
  'STO-002': classes({ name: 'slow', kind: 'nfs', server: '10.62.8.70', path: '/v' }),
  // Three workers keep them: two places too few.
  'STO-003': classes({ name: 'safe', kind: 'copies', copies: 5, standard: true }),
  'STO-004': classes({ name: 'safe', kind: 'copies', copies: 1, standard: true }),
  'STO-005': classes({ name: 'safe', kind: 'copies', standard: true }),
  'STO-006': classes({ name: 'fast', kind: 'local', standard: true }),
  'STO-007': runs({ volumes: [{ name: 'data', class: 'quick', sizeGB: 5 }] }),
  'STO-008': (e) => classes({ name: 'fast', kind: 'copies' })(runs({ volumes: [{ name: 'data', sizeGB: 5 }] })(e)),
  'STO-009': (e) =>
    classes({ name: 'fast', kind: 'local', standard: true })(
      runs({ mayBeAway: 3600, volumes: [{ name: 'data', sizeGB: 5 }] })(e),
    ),
  // A host has 960 GB for volumes: half of 1,920.
  'STO-010': (e) => classes(kept)(runs({ volumes: [{ name: 'data', sizeGB: 961 }] })(e)),
  'STO-011': (e) => classes(kept)(runs({ kind: 'StatefulSet', replicas: 9, volumes: [{ name: 'data', sizeGB: 600 }] })(e)),
  'CHT-046': runs({ replicas: 9, apart: 'host', always: true }),
  // 50 + 300 + 10 s.
  'CHT-047': runs({ mayBeAway: 359 }),
  'CHT-048': (e) =>
    runs({
      replicas: resolve(e.charters[0] as Charter, e).nodes.filter((n) => n.role === 'worker').length,
      apart: 'host',
      always: true,
    })(e),
  // Names are asked of an address that the cluster itself publishes.
  'CHT-049': set('Site', 'lr', ['resolvers'], ['10.62.8.64']),
  // The registry is published by the cluster that takes its images from it.
  'CHT-050': (e) =>
    reserve('10.62.8.65', {
      name: 'registry.lr.kestrelferries.example',
      owner: { kind: 'charter', name: 'plover', use: 'service images/registry' },
    })({ ...e, reservations: e.reservations.filter((r) => r.owner.kind !== 'registry') }),
  'STO-012': backed([{ ...nightly, store: 'bw-object' }]),
  'STO-013': backed([]),
  'STO-014': backed([{ ...nightly, volumes: ['archive/date'] }]),
  'STO-015': backed([{ ...nightly, trial: '0 3 30 2 *' }]),
  // A day, and 80 s for the 10 GB that change in it.
  'STO-016': backed([nightly], { mayLose: 86_479 }),
  'STO-017': backed([{ ...nightly, keep: { days: 1 } }]),
  'STO-018': (e) => put({ ...farStore, name: 'lr-objects', site: 'lr' })(backed([{ ...nightly, store: 'lr-objects' }])(e)),
  'STO-019': (e) => backed([nightly], {}, { host: resolve(e.charters[0] as Charter, e).nodes.at(-1)?.host })(e),
  // 100 GB and six days of 10.
  'STO-020': backed([nightly], {}, { sizeGB: 159 }),
  // 100 GB at 1 Mbit/s take nine days; no more than 10 of them change in a day, which take 22 h: two volumes do not fit.
  'STO-021': backed([nightly], { replicas: 2 }, { rateMbit: 1 }),
  'STO-022': backed([{ ...nightly, trial: undefined }]),
  'STO-023': (e) => set('Site', 'lr', ['timezone'], 'Europe/Berlin')(backed([{ ...nightly, at: '30 2 * * *' }])(e)),
  'STO-024': backed([nightly], {}, { key: 'bw-objects' }),
  'STO-025': (e) =>
    put({ ...farStore, name: 'lr-objects', site: 'lr' })(set('Site', 'lr', ['reach'], 'sealed')(backed([nightly])(e))),
  'STO-026': backed([
    { ...nightly, volumes: ['archive/data'] },
    { ...nightly, name: 'hourly', volumes: ['archive/data'] },
  ]),
  'STO-027': (e) => set('Site', 'lr', ['link'], { rateMbit: 100, hours: '05:00-06:00' })(backed([nightly])(e)),
  'STO-028': (e) =>
    classes(
      { name: 'scratch', kind: 'local', standard: true },
      { name: 'shared', kind: 'nfs', server: '10.62.8.61', path: '/export' },
    )(runs({ volumes: [{ name: 'data', sizeGB: 5, access: 'many-nodes' }] })(e)),
  // Two copies on three hosts: the two that have one hang on feed 1, the third on feed 2.
  'STO-029': (e) => {
    const there = plover(['workers'], { count: 3, hosts: ['lr-04', 'lr-05', 'lr-06'] })(e);
    const now = classes({ ...kept, copies: 2 })(runs({ volumes: [{ name: 'data', sizeGB: 5 }] })(there));
    const room = roomOf(resolve(now.charters[0] as Charter, now));
    const have = new Set(room.volumes[0]?.copies);
    return room.stores.reduce((x, h) => set('Host', room.hosts[h]?.name ?? '', ['feed'], have.has(h) ? '1' : '2')(x), now);
  },
  // Three hosts of 960 GB, two copies of each of three volumes of 450: on each host two, 900 GB. Without one, 900 are to be made anew, and 60 are free on each of two.
  'STO-030': (e) =>
    classes({ ...kept, copies: 2 })(runs({ kind: 'StatefulSet', replicas: 3, volumes: [{ name: 'data', sizeGB: 450 }] })(e)),
  // The estate is of 27 Nov, 09:00; a nightly backup of two days before is too old, one of the same day is not.
  'STO-031': (e) =>
    observe((o) => {
      o.backups.plover = {
        volumes: { 'archive/data-0': { at: new Date(Date.parse(e.now) - 2 * 86_400_000).toISOString(), store: 'bw-objects' } },
      };
    })(backed([nightly])(e)),
  'STO-032': (e) =>
    observe((o) => {
      o.backups.plover = {
        volumes: {
          'archive/data-0': { at: e.now, store: 'bw-objects', tried: { at: e.now, good: false, text: 'block 3 is damaged' } },
        },
      };
    })(backed([nightly])(e)),
  'STO-033': (e) => holds(40)(stood()(e)),
  'STO-034': stood({ of: 'archives' }),
  'STO-035': stood({}, { plans: [] }),
  'STO-036': stood({}, { site: 'lr' }),
  'STO-037': (e) => holds(2, { state: 'active', since: e.now, by: 'iris' })(stood()(e)),
  'CHT-051': (e) =>
    observe((o) => {
      const counted = { what: 'counted' as const, name: 'lr-04', text: 'counts as lost', is: { from: 40_000, to: 55_000 } };
      const came = { from: 61_000, to: 63_000 };
      o.losses.plover = {
        cases: { 'lr-04': { at: e.now, by: 'iris', lines: [{ ...counted, came, agrees: false }], without: [] } },
      };
    })(e),
  'ACC-001': ofTeam({ sites: ['bw'] }),
  'ACC-002': (e) => fromTemplate(ofTeam({ templates: ['other'] })(e)),
  'ACC-003': ofTeam({ allowance: { hosts: 2 } }),
  'ACC-004': plover(['team'], 'radar'),
  'ACC-005': ofTeam({ allowance: { addresses: 1 } }),
  'ACC-006': put({ kind: 'Team', name: 'radar', moulds: ['none'] }),
  'KEY-004': (e) =>
    plover(
      ['answers'],
      [{ addon: 'log-shipper', question: 'token', answer: 'lr-archive' }],
    )(asks({ key: 'token', ask: 'Which entry opens the archive?', type: 'secret' })(e)),
  'IMG-019': (e) => plover(['podNetwork'], 'log-shipper')(withAddon(e, 'log-shipper')),
  'IMG-020': (e) =>
    set('Addon', 'log-shipper', ['manifests'], manifest('images.upstream.example/own/other:1'))(withAddon(e, 'log-shipper')),
  'TPL-001': plover(['template'], { name: 'ship-edge', version: 1 }),
  'TPL-002': (e) => plover(['overlay', 'kind'], 'vxlan')(fromTemplate(e)),
  'TPL-003': (e) =>
    set(
      'Template',
      'room',
      ['earlier'],
      [{ version: 1, questions: [], charter: e.charters[0] as never }],
    )(set('Template', 'room', ['version'], 2)(fromTemplate(e))),
  'TPL-004': (e) => plover(['template', 'version'], 3)(fromTemplate(e)),
  'IMG-021': (e) =>
    set(
      'Release',
      '1.34.2',
      ['removed'],
      [{ api: 'apps/v1', kind: 'DaemonSet', instead: 'apps/v2' }],
    )(
      set(
        'Addon',
        'log-shipper',
        ['manifests'],
        manifest('images.upstream.example/addons/log-shipper:1.12.0'),
      )(withAddon(e, 'log-shipper')),
    ),
  'IMG-018': set('Release', '1.34.2', ['source'], 'upstrem'),
};
// One name for one address is the rule; the second one is added by hand, as people do.
cases['DNS-005'] = (e) => record('53.8.62.10.in-addr.arpa', 'PTR', 'other.lr.kestrelferries.example', '8.62.10.in-addr.arpa')(e);

/** Pages of the interface (apps/web/src/routes.tsx). */
const pages =
  /^\/(estate|declare|hosts(\/(racks|hypervisors|profiles|[a-z][\w-]*))?|addresses(\/(names|routes))?|rehearse|images(\/(rules|pulls|clean-up))?|clusters(\/(stores|(templates\/)?[a-z]+))?|rehearse\/cold-start|keyring|people\/teams)$/;

describe('every check', () => {
  it('finds nothing in a good estate', () => {
    expect(check(goodEstate()).findings).toEqual([]);
  });
  it('has a case, and a code of its own', () => {
    expect(Object.keys(cases).sort()).toEqual(catalogue.map((c) => c.code).sort());
    expect(catalogue.length).toBeGreaterThanOrEqual(110);
    for (const c of catalogue) expect(c.code).toMatch(/^(NET|HST|ADR|DNS|IMG|KEY|CHT|STO|SVC|TPL|ACC)-\d{3}$/);
  });
  it('says why it matters and what mends it, in sentences; nothing is said of a check that is none', () => {
    expect(Object.keys(checkWords).sort()).toEqual(catalogue.map((c) => c.code).sort());
    for (const [code, { why, mend }] of Object.entries(checkWords)) {
      expect([code, why]).toEqual([code, expect.stringMatching(/^\S.{14,}\.$/)]);
      expect([code, mend]).toEqual([code, expect.stringMatching(/^[A-Z].{10,}\.$/)]);
    }
  });
  it('stands in docs/findings.md as it stands here', () => {
    expect(readFileSync(join(import.meta.dirname, '../../../../docs/findings.md'), 'utf8')).toContain(findingsTable());
  });
  it.each(catalogue.map((c) => [c.code] as const))('%s leads somewhere: its act, or what it is about', (code) => {
    for (const f of check((cases[code] as Change)(goodEstate())).findings.filter((x) => x.code === code)) {
      const path = actPlace(f).split('?')[0] as string;
      expect([code, path]).toEqual([code, expect.stringMatching(pages)]);
    }
  });
  it.each(catalogue.map((c) => [c.code, c.about] as const))('%s fires: %s', (code) => {
    const estate = (cases[code] as Change)(goodEstate());
    const found = check(estate).findings.filter((f) => f.code === code);
    expect(found.length).toBeGreaterThan(0);
    for (const f of found) {
      expect(f.title.length).toBeGreaterThan(3);
      expect(f.text).toMatch(/\.$/);
      expect(`${f.title} ${f.text}`).not.toMatch(/undefined|NaN|\[object/);
    }
    const edits: Edit[] | undefined = found[0]?.remedy?.edits;
    if (edits)
      expect(
        check(applyEdits(estate, edits)).findings.filter((f) => f.id === found[0]?.id),
        'the remedy mends it',
      ).toEqual([]);
    // And it opens nothing in its place.
    if (edits) {
      const had = new Set(check(estate).findings.map((f) => f.id));
      const opened = check(applyEdits(estate, edits)).findings.filter((f) => !had.has(f.id));
      expect(
        opened.map((f) => f.id),
        'the remedy opens nothing',
      ).toEqual([]);
    }
  });
});

it.each([
  ['10.62.8.105', 'lies in the DHCP scope 10.62.8.100-10.62.8.119'],
  ['10.62.8.70', "lies in the cluster's own service pool"],
  ['10.62.8.1', 'is the gateway of lr-machine'],
  ['10.62.8.127', 'is an end of 10.62.8.0/25'],
  ['10.99.0.1', 'does not lie in lr-machine'],
])('a virtual address set to %s %s', (address, says) => {
  for (const use of ['api', 'inbound'] as const)
    expect(check(plover([use, 'address'], address)(goodEstate())).findings.find((f) => f.code === 'ADR-009')?.text).toContain(
      says,
    );
  expect(check(plover(['api', 'address'], '10.62.8.25')(goodEstate())).findings).toEqual([]);
});

it('a network carved out of another overlaps it by right, and no other', () => {
  const child = put(network('lr-dock', 'machine', '10.62.8.64/28', 820, { parent: 'lr-machine', gateway: '10.62.8.65' }));
  const overlapping = (e: Estate) =>
    check(e)
      .findings.filter((f) => f.code === 'NET-001')
      .map((f) => f.title);
  expect(overlapping(child(goodEstate()))).toEqual([]);
  const second = put(network('lr-pier', 'machine', '10.62.8.72/29', 821, { parent: 'lr-machine', gateway: '10.62.8.73' }));
  expect(overlapping(second(child(goodEstate())))).toEqual(['lr-pier overlaps lr-dock']);
});

describe('the checker that remembers', () => {
  it('finds the same as one that does not, after every edit of one estate: property', () => {
    const changes = Object.entries(cases);
    fc.assert(
      fc.property(fc.shuffledSubarray(changes, { minLength: 3, maxLength: 12 }), (list) => {
        const checker = makeChecker();
        let e = goodEstate();
        checker(e);
        for (const [code, change] of list) {
          // What an edit leaves alone stays the same object, as in the browser.
          try {
            e = change(e);
          } catch {
            continue;
          }
          expect(checker(e), `after ${code}`).toEqual(check(e));
        }
      }),
      { numRuns: 15 },
    );
  });
  it('gives every finding an id of its own, in every case', () => {
    for (const [code, change] of Object.entries(cases)) {
      const ids = check(change(goodEstate())).findings.map((f) => f.id);
      expect(
        ids.filter((id, n) => ids.indexOf(id) !== n),
        code,
      ).toEqual([]);
    }
  });
  it('runs again only what read what changed', () => {
    const runs: string[] = [];
    const counted = catalogue.map((c) => ({
      ...c,
      find: (subject: never, view: View) => {
        runs.push(c.code);
        return c.find(subject, view);
      },
    }));
    const checker = makeChecker(counted);
    const estate = goodEstate();
    checker(estate);
    expect(runs.length).toBeGreaterThan(catalogue.length);
    runs.length = 0;
    // The same documents in other lists are no change.
    checker({ ...estate, hosts: [...estate.hosts], charters: [...estate.charters] });
    expect(runs).toEqual([]);
    // What a charter is for is read by no check but those of that charter, each once.
    checker(plover(['purpose'], 'radar')(estate));
    expect(runs.filter((code) => code === 'CHT-001')).toHaveLength(1);
    expect(runs.filter((code) => code === 'HST-001' || code === 'ADR-004')).toEqual([]);
    runs.length = 0;
    // A baseline is read for each host, and what comes out as before goes no further.
    checker({ ...estate, baselines: estate.baselines.map((b) => ({ ...b, parts: [] })) });
    expect(runs.filter((code) => code === 'HST-001')).toHaveLength(estate.hosts.length);
  });
});

describe('a finding that somebody lives with', () => {
  const bad = (cases['HST-002'] as Change)(goodEstate());
  const note = check(bad).findings.find((f) => f.code === 'HST-002');
  const only = (list: { code: string }[]) => list.filter((f) => f.code === 'HST-002');
  const accepted = (more: object) => ({
    ...bad,
    accepted: [
      {
        finding: note?.id ?? '',
        text: note?.text ?? '',
        reason: 'spare',
        by: 'ana',
        at: bad.now,
        until: '2026-12-24T00:00:00Z',
        ...more,
      },
    ],
  });
  it('stands apart, with who and why, until the day has passed', () => {
    const { findings, accepted: lived } = check(accepted({}));
    expect([only(findings), lived.map((f) => f.accepted?.reason)]).toEqual([[], ['spare']]);
    expect(check({ ...accepted({}), now: '2026-12-23T22:00:00Z' }).findings.filter((f) => f.code === 'HST-002')).toEqual([]);
    expect(check({ ...accepted({}), now: '2026-12-24T01:00:00Z' }).findings.filter((f) => f.code === 'HST-002')).toHaveLength(1);
  });
  it('comes back when its figures are others', () => {
    expect(only(check(accepted({ text: 'something else' })).findings)).toHaveLength(1);
  });
  it('is never a stop', () => {
    const e = (cases['NET-002'] as Change)(goodEstate());
    const [stop] = check(e).findings;
    const lived = {
      finding: stop?.id ?? '',
      text: stop?.text ?? '',
      reason: 'no',
      by: 'ana',
      at: e.now,
      until: '2027-01-01T00:00:00Z',
    };
    expect(check({ ...e, accepted: [lived] }).findings.map((f) => f.code)).toContain('NET-002');
  });
});

it('a stop names the charters it keeps from being built, with figures of the case', () => {
  const f = check((cases['ADR-001'] as Change)(goodEstate())).findings.find((x) => x.code === 'ADR-001');
  // pool .96–.111, scope .100–.119: .100 to .111 are 12
  expect(f).toMatchObject({
    severity: 'stop',
    charters: ['plover'],
    path: ['servicePool', 'range'],
    text: 'lr-machine leases 10.62.8.100 – 10.62.8.119. 12 addresses could be given out twice.',
    remedy: { label: 'Move pool to 10.62.8.64 – 10.62.8.79' },
  });
});

describe('where a check begins to fire', () => {
  const found = (code: string, ...changes: Change[]) =>
    check(changes.reduce((e, c) => c(e), goodEstate())).findings.filter((f) => f.code === code);
  it.each([
    [10, 0],
    [9, 1],
  ])('HST-009: a drive with %i %% of its endurance left is told %i times', (lifeLeft, times) => {
    const disks = [{ bay: 'bay 1', sizeGB: 480, media: 'nvme', lifeLeft }];
    expect(found('HST-009', set('Host', 'lr-01', ['facts', 'disks'], disks))).toHaveLength(times);
  });
  // etcd and the kubelet listen at the address of the host; the controller manager (10257) at loopback alone.
  it.each([
    [2379, 1],
    [10250, 1],
    [10257, 0],
    [443, 0],
  ])('CHT-043: the API at port %i is told %i times', (port, times) => {
    expect(found('CHT-043', plover(['api'], { port }))).toHaveLength(times);
  });
  // Geneve over IPv4 adds 20 + 8 + 16 + 14 = 58, over IPv6 78, to what the machine networks of the site carry.
  it.each([
    [1500, '10.62.10.0/27', 1558],
    [9000, '10.62.10.0/27', 9058],
    [1500, 'fd00:62:10::/64', 1578],
  ])('NET-011: packets of %i bytes through tunnels of %s need %i', (mtu, prefix, least) => {
    const at = (tunnel: number) =>
      found(
        'NET-011',
        machine(['mtu'], mtu),
        set('Network', 'lr-tun-gate', ['mtu'], 9216),
        set('Network', 'lr-tun-host', ['prefix'], prefix),
        set('Network', 'lr-tun-host', ['mtu'], tunnel),
      );
    expect(at(least)).toEqual([]);
    expect(at(least - 1).map((f) => f.remedy?.label)).toEqual([`Set ${least}`]);
  });
  it('CHT-003: the cluster that stands keeps its range, whatever the two are called', () => {
    const beside =
      (name: string): Change =>
      (e) => ({ ...e, charters: [...e.charters, { ...(e.charters[0] as Charter), name }] });
    for (const name of ['aldis', 'teal']) {
      const [f, ...more] = found('CHT-003', serving, beside(name));
      expect(more).toEqual([]);
      expect([f?.subject.name, f?.charters]).toEqual([name, [name]]);
    }
    // Both on paper: always the same of the two.
    expect(found('CHT-003', beside('aldis'))[0]?.subject.name).toBe('aldis');
    expect(found('CHT-003', beside('teal'))[0]?.subject.name).toBe('plover');
  });
  it.each([
    ['10.160.0.0/12', 'services', 0],
    ['10.160.0.0/11', 'services', 1],
    ['fd00:98::/108', 'services', 0],
    ['fd00:98::/107', 'services', 1],
    // 64 − 48 = 16 bits, and one more
    ['fd00:128::/48', 'pods', 0],
    ['fd00:128::/47', 'pods', 1],
  ])('CHT-014: %s for %s is told %i times', (range, of, times) => {
    const more = of === 'pods' ? [plover(['pods', 'perNode'], 64)] : [];
    expect(found('CHT-014', plover([of, 'range'], range), ...more)).toHaveLength(times);
  });
  it('CHT-012: a disk with a WWN is told apart, two with one serial are not; of a cluster that stands nothing is asked', () => {
    const disks = (...serials: (string | undefined)[]) =>
      set(
        'Host',
        'lr-02',
        ['facts', 'disks'],
        serials.map((serial, i) => ({
          bay: `bay ${i + 1}`,
          sizeGB: 480 * (i + 1),
          media: 'nvme',
          ...(serial ? { serial } : { wwn: `naa.${i}` }),
        })),
      );
    expect(found('CHT-012', disks('a', undefined))).toHaveLength(0);
    const [f] = found('CHT-012', disks('a', 'A'));
    expect([f?.title, f?.charters]).toEqual(['The disk in bay 1 and bay 2 of lr-02 has no serial', ['plover']]);
    expect(found('CHT-012', disks('a', 'A'), serving)).toHaveLength(0);
  });
  it('CHT-013: a scope of a provisioning network is as good', () => {
    const at = (site: string) =>
      put({
        kind: 'Network',
        name: 'lr-first',
        site,
        purpose: 'provisioning',
        prefix: '10.62.11.0/24',
        vlan: 816,
        dhcp: [{ name: 'lease', range: '10.62.11.10-10.62.11.19' }],
      });
    expect(found('CHT-013', machine(['dhcp'], []))).toHaveLength(1);
    expect(found('CHT-013', machine(['dhcp'], []), at('lr'))).toHaveLength(0);
    expect(found('CHT-013', machine(['dhcp'], []), at('bw'))).toHaveLength(1);
  });
  it('HST-015: says which adapter, and which of the three is wrong', () => {
    const uplink = (adapters: string[], tagged = false) => set('Host', 'lr-01', ['uplink'], { adapters, tagged });
    expect(found('HST-015', uplink(['eno1'], true))).toEqual([]);
    const [absent] = found('HST-015', uplink(['enol']));
    expect([absent?.title, absent?.text, absent?.remedy?.label]).toEqual([
      'lr-01 has no adapter enol',
      'Its machine network is to be carried by enol; it has eno1.',
      'Set eno1 for enol',
    ]);
    expect(found('HST-015', uplink(['eno1', 'eno1'])).map((f) => f.title)).toEqual([
      'eno1 is named twice in the uplink of lr-01',
    ]);
    const held = set('Host', 'lr-01', ['held'], { charter: 'plover', role: 'control-plane' });
    expect(found('HST-015', uplink(['eno1'], true), held, machine(['vlan'], undefined)).map((f) => f.title)).toEqual([
      'lr-machine has no VLAN that lr-01 could tag',
    ]);
  });
  it('CHT-044: a program of one operating system alone stops each pool that starts another, and the pool that starts it no more', () => {
    const only = set('Release', '1.34.2', ['components', 5, 'systems'], ['next']);
    const paths = (...changes: Change[]) => found('CHT-044', nextSystem, only, ...changes).map((f) => f.path.join('.'));
    // The sandbox runs on every node: both pools start the first system of the release.
    expect(paths()).toEqual(['controlPlane.system', 'workers.system']);
    expect(paths(plover(['workers', 'system'], 'next'))).toEqual(['controlPlane.system']);
    expect(paths(plover(['workers', 'system'], 'next'), plover(['controlPlane', 'system'], 'next'))).toEqual([]);
    expect(found('CHT-044', nextSystem)).toEqual([]);
  });
  it('CHT-009: an operating system that the release has not, with the nearest that it has', () => {
    const [one] = found('CHT-009', nextSystem, plover(['workers', 'system'], 'nxt'));
    expect(one?.path).toEqual(['workers', 'system']);
    expect(one?.title).toBe('Release 1.34.2 has no operating system nxt');
    expect(one?.text).toBe('There are system, next.');
    expect(one?.remedy?.label).toBe('Set next');
  });
  it('CHT-030: an operating system that is made for other machines stops the pool that starts it', () => {
    const other = (e: Estate) => set('Release', '1.34.2', ['components', 11, 'arch'], ['arm64'])(nextSystem(e));
    expect(found('CHT-030', other)).toEqual([]);
    expect(found('CHT-030', other, plover(['workers', 'system'], 'next')).map((f) => f.title)).toEqual([
      'next cannot run on workers',
    ]);
  });
  it('CHT-013: hosts that start from virtual media ask nobody; guests do, and have no such way', () => {
    const hosts = Array.from({ length: 6 }, (_, n) => `lr-0${n + 1}`);
    const media = hosts.map((h) => set('Host', h, ['bmc', 'boot'], 'media'));
    const [all] = found('CHT-013', machine(['dhcp'], []));
    expect([all?.title, all?.remedy?.label]).toEqual([
      'No DHCP scope in lr-machine, where 6 hosts boot',
      'Start 6 hosts from virtual media',
    ]);
    expect(found('CHT-013', machine(['dhcp'], []), ...media.slice(1)).map((f) => f.remedy?.label)).toEqual([
      'Start lr-01 from virtual media',
    ]);
    expect(found('CHT-013', machine(['dhcp'], []), ...media)).toEqual([]);
    const guest: Change = (e) => {
      const h = e.hosts.find((x) => x.name === 'lr-06');
      if (h) {
        h.guest = { mould: 'node', hypervisor: 'lr-hv', pools: [] };
        delete h.bmc;
      }
      return e;
    };
    const [one] = found('CHT-013', machine(['dhcp'], []), guest, ...media.slice(0, 5));
    expect([one?.title, one?.remedy?.label]).toEqual(['No DHCP scope in lr-machine, where 1 host boots', 'Open lr-machine']);
  });
  it('ADR-002: a pool over the gateway says whose the address is', () => {
    const f = found('ADR-002', plover(['servicePool', 'range'], '10.62.8.1-10.62.8.6'));
    expect(f.map((x) => x.text)).toEqual(["10.62.8.1 is the gateway's."]);
  });
  it.each([
    ['2026-11-23T08:59:00Z', 0],
    ['2026-11-23T09:01:00Z', 1],
    ['2026-12-23T09:00:00Z', 1],
    ['2026-12-24T09:01:00Z', 0],
  ])('IMG-002: of a certificate that ends at %s, seen at 9 on 23 November, the end is %i times near', (notAfter, times) => {
    // What has ended is another finding.
    expect(found('IMG-002', certificate({ notAfter }))).toHaveLength(times);
  });
  it('IMG-002: what is renewed from here is told when that failed, or is a day late, and not before', () => {
    const seen = (renews: object | undefined, notAfter: string): Change =>
      observe((o) => {
        const r = o.registries['lr-registry'];
        if (r?.certificate) Object.assign(r.certificate, { notBefore: '2026-09-01T00:00:00Z', notAfter });
        if (r) r.renews = renews as never;
      });
    // Of 92 days the last 30 are for renewing: from 1 November on. On the 23rd it is three weeks late.
    expect(found('IMG-002', seen({}, '2026-12-02T00:00:00Z'))).toHaveLength(1);
    // Due since half a day: somebody is at it.
    expect(found('IMG-002', seen({}, '2026-12-22T21:00:00Z'))).toHaveLength(0);
    expect(found('IMG-002', seen({ error: 'it does not answer' }, '2026-12-22T21:00:00Z'))[0]?.text).toContain('does not answer');
  });
  it('HST-001: a host that is retired needs no firmware', () => {
    const old: Change = set('Host', 'lr-02', ['facts', 'firmware', 'system'], '2.9');
    const retired: Change = (e) => ({
      ...e,
      hosts: e.hosts.map((h) => (h.name === 'lr-02' ? { ...h, state: 'retired' as const } : h)),
    });
    expect([found('HST-001', old).length, found('HST-001', old, retired).length]).toEqual([1, 0]);
  });
  it('NET-001: what was carved out of what was carved out lies in it by right', () => {
    const carved = (name: string, prefix: string, parent: string, vlan: number): Change =>
      put(network(name, 'machine', prefix, vlan, { parent }));
    const a = carved('lr-dock', '10.62.8.64/27', 'lr-machine', 820);
    const b = carved('lr-pier', '10.62.8.64/28', 'lr-dock', 821);
    const c = carved('lr-bollard', '10.62.8.64/29', 'lr-pier', 822);
    expect(found('NET-001', a, b, c)).toEqual([]);
  });
  it('DNS-001: a zone that cannot be read says nothing of its records', () => {
    const served = (error?: string): Change =>
      observe((o) => {
        o.zones['lr.kestrelferries.example'] = {
          at: '',
          serial: 1,
          records: [{ name: 'ns1.lr.kestrelferries.example', type: 'A', ttl: 60, value: '10.62.8.99' }],
          ...(error ? { error } : {}),
        };
      });
    expect([found('DNS-001', served()).length, found('DNS-001', served('it does not answer')).length]).toEqual([1, 0]);
  });
  it('NET-013: networks without a gateway need no way back, since nobody routes there', () => {
    const way = machine(['routesTo'], ['lr-tun-host']);
    const bare = (name: string): Change => set('Network', name, ['gateway'], undefined);
    const titles = (...more: Change[]) => found('NET-013', way, ...more).map((f) => f.title);
    expect(titles()).toEqual(['lr-tun-host has no way back to lr-machine']);
    expect(titles(bare('lr-tun-host')).filter((t) => t.includes('lr-machine'))).toEqual([]);
    expect(titles(bare('lr-machine'))).toEqual([]);
    expect(found('NET-013', machine(['routesTo'], ['lr-gone'])).map((f) => [f.title, f.remedy?.label])).toEqual([
      ['lr-machine routes to lr-gone, which is not there', 'Take it out'],
    ]);
  });
  it('DNS-003: what stands beside a CNAME is named, and a CNAME by itself is none', () => {
    const alias = record('x', 'CNAME', 'ns1.lr.kestrelferries.example');
    expect(found('DNS-003', alias)).toEqual([]);
    expect(found('DNS-003', alias, record('x', 'TXT', 'text')).map((f) => f.title)).toEqual(['x is a CNAME and has TXT too']);
  });
  it('CHT-003: every pair of charters that share pods is told', () => {
    const own =
      (name: string) =>
      (e: Estate): Estate => ({ ...e, charters: [...e.charters, { ...(e.charters[0] as Charter), name }] });
    // plover, gannet and knot have one range: three pairs
    expect(found('CHT-003', own('gannet'), own('knot'))).toHaveLength(3);
  });
  it('ADR-003: in a scope it is told without a MAC, and not with one', () => {
    const mac = { mac: '52:8a:1c:40:99:01' };
    expect(found('ADR-003', reserve('10.62.8.105'))).toHaveLength(1);
    expect(found('ADR-003', reserve('10.62.8.105', mac))).toHaveLength(0);
  });
  it('CHT-005: a cluster that serves and is to grow without a free host is told too', () => {
    expect(found('CHT-005', serving)).toHaveLength(0);
    // Three workers serve, and there is no fourth machine.
    expect(found('CHT-005', serving, plover(['workers', 'count'], 4)).map((f) => f.title)).toEqual(['3 of 4 workers found']);
  });
  it('IMG-012: a registry without room is told at the first byte too many, and room comes before the shipment', () => {
    const lacks = behind(roomFor(0)(goodEstate()), goodEstate().registries).find((b) => b.registry.name === 'lr-registry');
    const bytes = lacks?.bytes as number;
    expect(bytes).toBeGreaterThan(0);
    expect(found('IMG-012', roomFor(bytes))).toEqual([]);
    const [f] = found('IMG-012', roomFor(bytes - 1));
    expect(f?.text).toContain('needs a larger disk');
    expect(f?.remedy).toBeUndefined();
    const moves = (e: Estate) => nextMoves(e, check(e).findings).filter((m) => m.stage === 'images');
    expect(moves(roomFor(bytes)(goodEstate()))[0]?.label).toBe('Plan the shipment');
    expect(moves(roomFor(bytes - 1)(goodEstate())).map((m) => [m.label, m.go])).toEqual([['Open it', '/images?site=lr']]);
    const withOld = roomFor(0)(oldRelease(goodEstate()));
    expect(moves(withOld).map((m) => [m.label, m.go])).toEqual([
      ['Show what can be deleted', '/images/clean-up?registry=lr-registry&site=lr'],
    ]);
  });
  describe('ADR-010: a host that was given back', () => {
    const wiped = { wiped: { at: '2026-11-23T08:00:00Z', by: 'bo', drives: ['bay 1: erased'] }, state: 'fit' as const };
    it('and is not wiped may still run as a node: its address is not released by a remedy', () => {
      expect(found('ADR-010', serving)).toEqual([]);
      const [f, ...more] = found('ADR-010', serving, gaveBack('lr-06'));
      expect(more).toEqual([]);
      expect(f?.title).toMatch(/ stays reserved for lr-06, which plover has no more$/);
      expect(f?.text).toContain('may still run as a node of plover');
      expect(f?.remedy).toEqual({ label: 'Wipe lr-06', act: { kind: 'open', path: '/hosts/lr-06' } });
    });
    it('and wiped leaves an address that the remedy releases, and nothing else', () => {
      const e = gaveBack('lr-06', wiped)(serving(goodEstate()));
      const f = check(e).findings.find((x) => x.code === 'ADR-010');
      expect(f?.text).toContain('was given back and wiped');
      const after = applyEdits(e, f?.remedy?.edits ?? []);
      expect(check(after).findings.filter((x) => x.code === 'ADR-010')).toEqual([]);
      expect(after.reservations).toHaveLength(e.reservations.length - 1);
    });
    it('and is not listed any more leaves its address too', () => {
      const gone: Change = (e) => ({ ...e, hosts: e.hosts.filter((h) => h.name !== 'lr-06') });
      expect(found('ADR-010', serving, gone)[0]?.text).toContain('is not listed any more');
    });
    it('is no matter where no cluster stands: saving the charter gives the address back', () => {
      const held: Change = (e) => ({ ...e, hosts: e.hosts.map((h) => ({ ...h, state: 'fit' as const, held: undefined })) });
      expect(found('ADR-010', serving, held)).toEqual([]);
    });
  });
});

describe('who a finding about a precinct or a kept address is about', () => {
  const found = (code: string, e: Estate) =>
    check(e)
      .findings.filter((f) => f.code === code)
      .map((f) => f.title);
  it('another cluster in a precinct, and not the one whose it is', () => {
    const own = machine(['precinct'], 'plover')(goodEstate());
    expect(found('NET-046', own)).toEqual([]);
    expect(found('NET-046', second({})(own))).toEqual(['teal stands in the precinct of plover']);
  });
  it('an address of a service that is planned no more, and not of one that is', () => {
    const keep = reserve('10.62.8.70', { owner: { kind: 'charter', name: 'plover', use: 'service default/archive' } });
    expect(found('SVC-014', keep(planned([{ name: 'archive' }])(goodEstate())))).toEqual([]);
    expect(found('SVC-014', keep(planned([{ name: 'archives' }])(goodEstate())))).toEqual([
      '10.62.8.70 is kept for default/archive, which plover does not publish any more',
    ]);
  });
  it('a standby copy that is further behind than it may be: by its own word, or as the plan comes out', () => {
    const behind = (hours: number, standby: object = {}, more: object = {}) =>
      found('STO-033', holds(hours, more)(stood(standby)(goodEstate())));
    // Nightly, and 10 GB of the 100 in a day at 1 Gbit/s: 24 h and 80 s may be lost; an hour for what is under way. At 25 h and 80 s it is in time.
    expect([behind(25), behind(25 + 79 / 3600), behind(25 + 81 / 3600).length]).toEqual([[], [], 1]);
    expect(behind(3, { mayLag: 7200 })).toEqual(['The standby copy of archive of plover is 3 h behind']);
    expect(behind(2, { mayLag: 7200 })).toEqual([]);
    // Of what is active nothing follows any more.
    expect(behind(99, {}, { state: 'active', since: goodEstate().now, ended: true })).toEqual([]);
  });
  it('a volume without a backup, not where it is kept from another cluster, until it is activated', () => {
    expect(found('STO-013', stood()(goodEstate()))).toEqual([]);
    expect(found('STO-013', set('Charter', 'gannet', ['standbys'], undefined)(stood()(goodEstate())))).toEqual([
      'kept/data is not backed up',
    ]);
    const planned = set('Charter', 'gannet', ['backups'], [nightly])(stood()(goodEstate()));
    const young = (state: string) => found('STO-031', holds(2, { state })(planned));
    expect([young('follows'), young('active')]).toEqual([[], ['There is no backup of kept/data-0']]);
  });
  it('a standby copy that keeps nothing, each with its reason', () => {
    const wrong = (standby: object, more: object = {}) => found('STO-034', stood(standby, more)(goodEstate()));
    expect(wrong({})).toEqual([]);
    expect(wrong({ cluster: 'knot' })).toEqual(['The standby copy kept is of knot, and there is no such cluster']);
    expect(wrong({ cluster: 'gannet' })).toEqual(['The standby copy kept is of its own cluster']);
    expect(wrong({ workload: 'keep' })).toEqual(['The standby copy keep: gannet has no workload keep with volumes']);
    expect(wrong({}, { sizeGB: 99 })).toEqual(['kept/data-0 is smaller than what it keeps']);
    const more = set('Charter', 'plover', ['workloads', 0, 'replicas'], 2)(stood()(goodEstate()));
    expect(found('STO-034', more)).toEqual(['The standby copy kept does not have the same volumes as archive of plover']);
  });
  it('a standby copy that was activated, until what it is of has been ended', () => {
    const active = (more: object) => found('STO-037', holds(2, { state: 'active', ...more })(stood()(goodEstate())));
    expect([active({}).length, active({ ended: true }).length]).toEqual([1, 0]);
  });
  it('more copies than places: of hosts, where they may share the rest', () => {
    const e = goodEstate();
    const hosts = resolve(e.charters[0] as Charter, e).nodes.filter((n) => n.role === 'worker').length;
    const asks = (copies: number, more: object) => found('STO-003', classes({ ...kept, copies, ...more })(goodEstate()));
    expect([asks(hosts, {}), asks(hosts + 1, {}).length]).toEqual([[], 1]);
    // All of them stand in one rack.
    expect(asks(hosts, { apart: 'rack' })).toEqual([`${hosts} copies, and 1 rack`]);
    expect(asks(hosts, { apart: 'rack', mayShare: true })).toEqual([]);
    expect(asks(hosts + 1, { apart: 'rack', mayShare: true })).toEqual([`${hosts + 1} copies, and ${hosts} hosts`]);
  });
  it('a workload that is away for longer than accepted: to the second, with its volume, and never where it has two replicas', () => {
    const away = (more: object, e = goodEstate()) => found('CHT-047', runs(more)(e));
    // 50 + 300 + 10 s.
    expect(away({ mayBeAway: 360 })).toEqual([]);
    expect(away({ mayBeAway: 359 })).toEqual(['archive may be away for 5 min 59 s, and is for 6 min']);
    expect(away({ mayBeAway: 60, replicas: 2 })).toEqual([]);
    expect(away({})).toEqual([]);
    // A volume of one node: 360 s until it is freed, and 10 s until it is attached.
    const volumes = [{ name: 'data', sizeGB: 5 }];
    expect(away({ mayBeAway: 729, volumes }, classes(kept)(goodEstate()))).toEqual([
      'archive may be away for 12 min 9 s, and is for 12 min 10 s',
    ]);
    expect(away({ mayBeAway: 730, volumes }, classes(kept)(goodEstate()))).toEqual([]);
    expect(away({ mayBeAway: 3600, kind: 'StatefulSet' })).toEqual([
      'archive may be away for 1 h, and does not come back by itself',
    ]);
  });
  it('pods that find no host, and how many of how many', () => {
    const e = goodEstate();
    const workers = resolve(e.charters[0] as Charter, e).nodes.filter((n) => n.role === 'worker').length;
    const apart = (replicas: number) => found('CHT-046', runs({ replicas, apart: 'host', always: true })(e));
    expect(apart(workers)).toEqual([]);
    expect(apart(workers + 2)).toEqual([`2 of ${workers + 2} pods of archive find no host`]);
  });
  it('volumes that fit, and not one GB more', () => {
    const size = (sizeGB: number) => classes(kept)(runs({ volumes: [{ name: 'data', sizeGB }] })(goodEstate()));
    expect(found('STO-010', size(960))).toEqual([]);
    expect(found('STO-010', size(961))).toHaveLength(1);
  });
  it('two services at one port of the nodes, and not one of TCP beside one of UDP', () => {
    const ports = (...list: [string, 'tcp' | 'udp'][]) =>
      plover(
        ['nodePorts'],
        list.map(([name, protocol]) => ({ name, port: 30_080, protocol })),
      );
    expect(found('SVC-015', ports(['ais', 'udp'], ['tide', 'tcp'])(goodEstate()))).toEqual([]);
    expect(found('SVC-015', ports(['ais', 'udp'], ['tide', 'udp'])(goodEstate()))).toEqual([
      'plover plans ais and tide at UDP port 30080 of its nodes',
    ]);
  });
  it('a network out of which no precinct can be carved any more: by prefixes, or by VLANs', () => {
    const parent = (vlans: { first: number; last: number }) =>
      put(network('lr-own', 'machine', '10.62.128.0/26', 859, { precincts: { length: 27, vlans, gateway: 'gate' } }))(
        gated({})(goodEstate()),
      );
    const child = (n: number) => put(network(`own-${n}`, 'machine', `10.62.128.${n * 32}/27`, 870 + n, { parent: 'lr-own' }));
    const room = parent({ first: 860, last: 861 });
    expect(found('NET-048', room)).toEqual([]);
    expect(found('NET-048', child(0)(room))).toEqual([]);
    expect(found('NET-048', child(1)(child(0)(room)))).toHaveLength(1);
    expect(found('NET-048', parent({ first: 812, last: 812 }))).toHaveLength(1);
  });
});

describe('the next hop of a static route of a network', () => {
  const found = (code: string, e: Estate) =>
    check(e)
      .findings.filter((f) => f.code === code && f.subject.name === 'desks')
      .map((f) => f.text);
  // The router of the desks has an uplink in 10.62.0.0/29 as well.
  const over = (via: string, more: object = {}) =>
    gated({ desks: { routes: [{ to: '10.70.0.0/16', via }], ...more } })(goodEstate());
  it('may lie in any network that its router has an address in', () => {
    expect(found('NET-012', over('10.62.40.9'))).toEqual([]);
    expect(found('NET-012', over('10.62.0.2'))).toEqual([]);
    expect(found('NET-012', over('10.62.99.2'))).toEqual([expect.stringContaining('nor in another network that its router')]);
  });
  it('has no leased address, wherever it lies', () => {
    const leased = (e: Estate) => set('Network', 'up-a', ['dhcp'], [{ name: 'lease', range: '10.62.0.2-10.62.0.4' }])(e);
    expect(found('NET-015', over('10.62.0.2'))).toEqual([]);
    expect(found('NET-015', leased(over('10.62.0.2')))).toEqual([expect.stringContaining('of up-a and is bound to no MAC')]);
  });
});

describe('a proxy', () => {
  const found = (e: Estate) => check(e).findings.filter((f) => f.code === 'NET-050');
  const proxied = plover(['proxy'], { url: 'http://proxy.lr.kestrelferries.example:3128' });
  const out = (gate: object = {}) => gated({ a: { routes: [{ to: '0.0.0.0/0', via: '10.62.0.5' }] }, gate })(goodEstate());
  it('is gone past where a gateway lets nodes out; the remedy stops that, and leaves the inside as it is', () => {
    const [finding] = found(proxied(out()));
    expect(finding?.text).toContain('leaves over gate-a to 10.62.0.5 as well');
    const mended = applyEdits(proxied(out()), finding?.remedy?.edits ?? []);
    expect(found(mended)).toEqual([]);
    const gate = mended.gateways.find((g) => g.name === 'gate');
    expect(gate?.rules.map((r) => `${r.do} ${r.to ?? 'anybody'}`)).toEqual([
      'allow 10.0.0.0/8',
      'allow 172.16.0.0/12',
      'allow 192.168.0.0/16',
      'deny anybody',
    ]);
  });
  it('is not where there is none, where nothing leads out, or where a rule stops it', () => {
    expect(found(out())).toEqual([]);
    expect(found(proxied(gated({})(goodEstate())))).toEqual([]);
    expect(found(proxied(out({ rules: [{ do: 'deny', from: '10.62.8.0/25', protocol: 'tcp', port: 443 }] })))).toEqual([]);
  });
});

describe('the allowance of a team', () => {
  const found = (code: string, e: Estate) => check(e).findings.filter((f) => f.code === code);
  const titles = (code: string, e: Estate) => found(code, e).map((f) => f.title);
  const plan = resolve(goodEstate().charters[0] as Charter, goodEstate());
  const hosts = plan.nodes.length;

  it('has room to the last host, and not for one more', () => {
    expect(titles('ACC-003', ofTeam({ allowance: { hosts } })(goodEstate()))).toEqual([]);
    expect(titles('ACC-003', ofTeam({ allowance: { hosts: hosts - 1 } })(goodEstate()))).toEqual([
      `With plover, radar would have ${hosts} of ${hosts - 1} hosts`,
    ]);
  });
  it('counts cores, memory and disks as they were read of the hosts', () => {
    const of = (list: (f: NonNullable<Estate['hosts'][number]['facts']>) => number) =>
      plan.nodes.reduce((n, node) => n + list(node.facts), 0);
    const sums = {
      cores: of((f) => f.cores),
      memoryGiB: of((f) => f.memoryGiB),
      storageGB: of((f) => f.disks.reduce((n, d) => n + d.sizeGB, 0)),
    };
    for (const [measure, sum] of Object.entries(sums)) {
      expect(sum).toBeGreaterThan(0);
      expect([measure, titles('ACC-003', ofTeam({ allowance: { [measure]: Math.ceil(sum) } })(goodEstate()))]).toEqual([
        measure,
        [],
      ]);
      expect(titles('ACC-003', ofTeam({ allowance: { [measure]: Math.ceil(sum) - 1 } })(goodEstate()))[0]).toContain(
        `With plover, radar would have ${sum} of ${Math.ceil(sum) - 1}`,
      );
    }
  });
  it('takes nothing away that stands: what a cluster has it keeps, where the allowance was made smaller', () => {
    const stands = ofTeam({ allowance: { hosts: 1, addresses: 1 } })(serving(goodEstate()));
    expect(titles('ACC-003', stands)).toEqual([]);
    expect(found('ACC-005', stands)[0]?.text).toBe('It has more than that already, which it keeps.');
    // One host more is one too many.
    const workers = (goodEstate().charters[0] as Charter).workers.count;
    const five = serving(plover(['workers', 'count'], workers - 1)(goodEstate()));
    const spare = goodEstate().hosts.filter((h) => !five.hosts.some((x) => x.name === h.name));
    const fewer = { ...five, hosts: [...five.hosts, ...spare] };
    const grows = plover(['workers', 'count'], workers)(ofTeam({ allowance: { hosts: 1 } })(fewer));
    expect(titles('ACC-003', grows)).toEqual([`With plover, radar would have ${hosts} of 1 host`]);
  });
  it('is kept by each cluster by itself, beside what stands; what is only planned of all is told of the team', () => {
    const { apiVersion: _, kind: __, ...first } = structuredClone(goodEstate().charters[0] as Charter);
    const two = put({ kind: 'Charter', ...first, name: 'petrel', team: 'radar', api: {}, inbound: {} });
    const allowed = (clusters: number) => two(ofTeam({ allowance: { clusters } })(goodEstate()));
    expect(titles('ACC-003', allowed(1))).toEqual([]);
    expect(titles('ACC-005', allowed(1))).toEqual(['radar plans 2 of 1 cluster']);
    expect(titles('ACC-005', allowed(2))).toEqual([]);
    // The first stands: the second cannot be built any more.
    const one = two(ofTeam({ allowance: { clusters: 1 } })(serving(goodEstate())));
    expect(found('ACC-003', one).map((f) => [f.charters, f.title])).toEqual([
      [['petrel'], 'With petrel, radar would have 2 of 1 cluster'],
    ]);
  });
  it('does not count an address that rests', () => {
    const stands = ofTeam({ allowance: { addresses: plan.reservations.length } })(serving(goodEstate()));
    const rests = put({
      kind: 'Reservation',
      address: '10.62.8.90',
      network: 'lr-machine',
      owner: { kind: 'charter', name: 'plover' },
      resting: true,
    })(stands);
    expect(titles('ACC-005', rests)).toEqual([]);
    const awake = set('Reservation', 'lr-machine/10.62.8.90', ['resting'], undefined)(rests);
    expect(titles('ACC-005', awake)).toHaveLength(1);
  });
  it('is raised by its remedy to what is asked for', () => {
    const e = ofTeam({ allowance: { hosts: 1, addresses: 1 } })(goodEstate());
    const mended = applyEdits(e, found('ACC-003', e)[0]?.remedy?.edits ?? []);
    expect([...titles('ACC-003', mended), ...titles('ACC-005', mended)]).toEqual([]);
    expect(mended.teams[0]?.allowance).toEqual({ hosts, addresses: plan.reservations.length });
  });
});
