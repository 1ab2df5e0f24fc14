import { readFileSync } from 'node:fs';
import { join } from 'node:path';

/** How a route is asked, by example: names of the demonstration. */
export interface ExampleRequest {
  params?: Record<string, string | number>;
  query?: Record<string, string | number>;
  body?: unknown;
}
const zone = { zone: 'lr.kestrelferries.example' };
const build = { charter: 'plover', number: 1 };
const record = { name: 'buoy.lr.kestrelferries.example', type: 'A', ttl: 300, value: '10.62.8.88' };
const cast = {
  site: 'bw',
  mould: 'errand',
  count: 3,
  stem: 'bw-e',
  group: 'errands',
  rules: { strategy: 'spread', tolerate: 1 },
};
const digest = '0c5d1a8e4b2f9d3370a6c18e5f42b7d90e1c3a5b7d9f11335577991b3d5f7a9c';
const cert = '-----BEGIN CERTIFICATE-----\n…\n-----END CERTIFICATE-----\n';

/** Every route that takes something, by method and path. A test holds each against the schema of its route. */
export const exampleRequests: Record<string, ExampleRequest> = {
  'POST /api/sign-in': { body: { login: 'ana', password: 'correct horse battery' } },
  'POST /api/accounts': { body: { login: 'ben', name: 'Ben Okafor', role: 'planner' } },
  'PATCH /api/accounts/:login': { params: { login: 'ben' }, body: { role: 'builder' } },
  'POST /api/accounts/:login/password': { params: { login: 'ben' }, body: {} },
  'GET /api/accounts/:login/sessions': { params: { login: 'ben' } },
  'DELETE /api/accounts/:login/sessions/:id': { params: { login: 'ben', id: '5f0c2f6a-6c1e-4b53-9d2a-3f1f0f6c7a10' } },
  'GET /api/accounts/:login/tokens': { params: { login: 'ben' } },
  'DELETE /api/accounts/:login/tokens/:id': { params: { login: 'ben', id: '5f0c2f6a-6c1e-4b53-9d2a-3f1f0f6c7a10' } },
  'POST /api/accounts/:login/invitation': { params: { login: 'reader' } },
  'POST /api/invitations/look': { body: { token: 'DgSnpXkqjVJIYIvRl9YhZ0yQ6Hq9qOSRQCQhWUbF3ps' } },
  'POST /api/invitations/take': {
    body: { token: 'DgSnpXkqjVJIYIvRl9YhZ0yQ6Hq9qOSRQCQhWUbF3ps', password: 'four words that differ' },
  },
  'GET /api/sign-in/begin': { query: { back: '/hosts' } },
  'GET /api/sign-in/back': { query: { state: 'DgSnpXkqjVJIYIvRl9YhZ0yQ6Hq9qOSRQCQhWUbF3ps' } },
  'PUT /api/sign-in/provider': {
    body: {
      title: 'Kestrel Ferries sign-in',
      issuer: 'https://id.bw.kestrelferries.example:8443',
      client: 'praesidor',
      credential: 'kestrel-sign-in',
      claim: 'preferred_username',
      newcomers: 'refused',
      ca: '-----BEGIN CERTIFICATE-----\nMIIBdDCCARqgAwIBAgIUQ2FrZXNBbmRMYW50ZXJuczAwCgYIKoZIzj0EAwIw\n-----END CERTIFICATE-----\n',
    },
  },
  'POST /api/me/tokens': { body: { name: 'nightly', acts: ['plan.read', 'builds.run'], days: 90 } },
  'DELETE /api/me/tokens/:id': { params: { id: '5f0c2f6a-6c1e-4b53-9d2a-3f1f0f6c7a10' } },
  'PUT /api/me/filters': { body: { page: '/hosts', name: 'free, much memory', query: 'q=state%3Afit+memory%3E%3D256GiB' } },
  'DELETE /api/me/filters': { query: { page: '/hosts', name: 'free, much memory' } },
  'DELETE /api/me/sessions/:id': { params: { id: '5f0c2f6a-6c1e-4b53-9d2a-3f1f0f6c7a10' } },
  'POST /api/me/password': { body: { current: 'correct horse battery', next: 'a longer one for today' } },

  'POST /api/proposals': {
    body: {
      title: 'a second resolver at Lantern Rock',
      why: 'The first one is taken down on Friday.',
      edits: [{ op: 'set', kind: 'Site', key: 'lr', path: ['resolvers'], value: ['10.62.8.53', '10.62.8.55'] }],
    },
  },
  'GET /api/proposals/:id': { params: { id: 1 } },
  'POST /api/proposals/:id/changes': {
    params: { id: 1 },
    body: { edits: [{ op: 'set', kind: 'Network', key: 'lr-machine', path: ['mtu'], value: 9000 }] },
  },
  'POST /api/proposals/:id/leave-out': { params: { id: 1 }, body: { kind: 'Network', key: 'lr-machine' } },
  'POST /api/proposals/:id/decide': {
    params: { id: 1 },
    body: { kind: 'Site', key: 'lr', path: ['resolvers'], keep: 'proposed' },
  },
  'POST /api/proposals/:id/comments': { params: { id: 1 }, body: { text: 'The new one answers since this morning.' } },
  'POST /api/proposals/:id/withdraw': { params: { id: 1 } },
  'POST /api/proposals/:id/approve': { params: { id: 1 }, body: { digest } },
  'POST /api/proposals/:id/take-approval-back': { params: { id: 1 } },
  'POST /api/proposals/:id/make': { params: { id: 1 }, body: { digest } },
  'POST /api/approvals/:id': { params: { id: 7 } },

  'POST /api/edits': {
    body: {
      why: 'a second resolver',
      edits: [{ op: 'set', kind: 'Site', key: 'lr', path: ['resolvers'], value: ['10.62.8.53', '10.62.8.54'] }],
    },
  },
  'POST /api/findings/accept': {
    body: {
      finding: 'CHT-019 Charter dunlin workers.count',
      reason: 'a ship has room for three machines',
      until: '2027-06-30T00:00:00Z',
    },
  },
  'DELETE /api/findings/accept': { query: { finding: 'CHT-019 Charter dunlin workers.count' } },
  'POST /api/acts/:id/undo': { params: { id: 17 } },
  'GET /api/acts': { query: { limit: 50 } },
  'GET /api/acts/since': { query: { from: '2026-11-23T08:00:00Z' } },
  'GET /api/acts/:id': { params: { id: 1 } },
  'GET /api/documents/:kind': { params: { kind: 'charter' }, query: { site: 'lr' } },
  'GET /api/documents/:kind/:key': { params: { kind: 'network', key: 'lr-machine' } },
  'POST /api/difference': {
    body: { text: 'apiVersion: praesidor/v1\nkind: Network\nname: lr-pier\nsite: lr\npurpose: machine\nprefix: 10.62.10.0/26\n' },
  },
  'POST /api/import': {
    body: {
      text: 'apiVersion: praesidor/v1\nkind: Network\nname: lr-yard\nsite: lr\ntitle: Yard\npurpose: machine\nprefix: 10.62.9.0/26\n',
    },
  },
  'GET /api/schema/:kind': { params: { kind: 'network' } },

  'GET /api/charters/:name/backups': { params: { name: 'plover' } },
  'POST /api/charters/:name/backups': { params: { name: 'plover' }, body: { labels: ['before the move'] } },
  'POST /api/charters/:name/backups/test': { params: { name: 'plover' }, body: { volumes: ['ais-store/data'] } },
  'POST /api/charters/:name/backups/:act': { params: { name: 'plover', act: 'stop' } },
  'POST /api/charters/:name/backups/:id/restore': {
    params: { name: 'plover', id: 1 },
    body: { volume: 'ais-store/data', replace: 'ais-store/data' },
  },
  'GET /api/sites/:name/power': { params: { name: 'lr' } },
  'POST /api/sites/:name/power': { params: { name: 'lr' }, body: { to: 'start', site: 'lr' } },
  'POST /api/sites/:name/power/:act': { params: { name: 'lr', act: 'stop' } },
  'POST /api/sites/:name/existing': { params: { name: 'lr' }, body: { kubeconfig: 'apiVersion: v1\nkind: Config\n' } },
  'GET /api/templates/:name/rollout': { params: { name: 'ship-edge' } },
  'POST /api/templates/:name/rollout': {
    params: { name: 'ship-edge' },
    body: { version: 7, waves: [['petrel'], ['dunlin', 'turnstone']], atOnce: 2, restHours: 24, when: 'docked' },
  },
  'POST /api/templates/:name/rollout/:act': { params: { name: 'ship-edge', act: 'pause' } },
  'POST /api/sites/:name/existing/take-in': { params: { name: 'lr' }, body: { kubeconfig: 'apiVersion: v1\nkind: Config\n' } },
  'GET /api/charters/:name/applications': { params: { name: 'plover' } },
  'GET /api/charters/:name/volumes': { params: { name: 'plover' } },
  'GET /api/charters/:name/losses': { params: { name: 'plover' } },
  'POST /api/charters/:name/losses': { params: { name: 'plover' }, body: { case: 'lr-05', off: 'lr-05' } },
  'POST /api/charters/:name/losses/:act': { params: { name: 'plover', act: 'stop' } },
  'POST /api/charters/:name/standbys/:workload/:turn': {
    params: { name: 'gannet', workload: 'ais-store', turn: 'activate' },
    body: { turn: 'ais-store' },
  },
  'GET /api/charters/:name/backups/:id/volume.tar': { params: { name: 'plover', id: 1 } },

  'POST /api/hosts/sweep': { body: { site: 'lr', range: '10.62.7.10-10.62.7.20' } },
  'POST /api/hosts/sweep/stop': { body: { site: 'lr' } },
  'POST /api/hosts/accept': {
    body: { credential: 'bmc-lr', addresses: [{ address: '10.62.7.12', fingerprint: Array(32).fill('A1').join(':') }] },
  },
  'POST /api/hosts/list': {
    body: { credential: 'bmc-lr', hosts: [{ address: '10.62.7.12', name: 'lr-02', rack: 'R1', unit: 4 }] },
  },
  'POST /api/hosts/rejoin': { body: { host: 'lr-02', address: '10.62.7.12' } },
  'POST /api/hosts/merge': { body: { keep: 'lr-02', drop: 'lr-12' } },
  'GET /api/hosts': { query: { q: 'site:bw memory>=64 fit:worker' } },
  'POST /api/hosts/preview': { body: { text: 'name,site,disks\nlr-31,lr,480GB ssd; 1.9TB nvme\n' } },
  'POST /api/hosts/import': { body: { text: 'name,site,disks\nlr-31,lr,480GB ssd; 1.9TB nvme\n' } },
  'GET /api/sites/:name/files/book.html': { params: { name: 'lr' } },
  'GET /api/sites/:name/files/book.pdf': { params: { name: 'lr' } },
  'POST /api/sites/preview': { body: { like: 'ptl', text: 'site,title,control-plane\navo,MV Avocet,3\n' } },
  'POST /api/sites/import': { body: { like: 'ptl', text: 'site,title,control-plane\navo,MV Avocet,3\n' } },
  'POST /api/hosts/acts': { body: { act: 'drain', hosts: ['bw-01'] } },
  'POST /api/hosts/works': { body: { kind: 'read', hosts: ['bw-04', 'bw-09'] } },
  'POST /api/hosts/works/:id/:act': { params: { id: 3, act: 'stop' } },
  'POST /api/hosts/cast/plan': { body: cast },
  'POST /api/hosts/cast': { body: { ...cast, start: true } },
  'POST /api/hypervisors/:name/look': { params: { name: 'bw-hv1' } },
  'GET /api/hosts/:name': { params: { name: 'bw-03' } },
  'POST /api/hosts/:name/refresh': { params: { name: 'bw-03' } },
  'POST /api/hosts/:name/sensors': { params: { name: 'bw-03' } },
  'GET /api/hosts/:name/log': { params: { name: 'bw-03' } },
  'POST /api/hosts/:name/bmc': { params: { name: 'bw-03' }, body: { act: 'light', on: true } },
  'GET /api/hosts/files/hosts.csv': { query: { site: 'bw' } },

  'POST /api/addresses/reserve': {
    body: { network: 'lr-machine', name: record.name, owner: { kind: 'site', name: 'lr' }, note: 'a light at the pier' },
  },
  'POST /api/addresses/release': { body: { network: 'lr-machine', address: '10.62.8.88', restDays: 7 } },
  'POST /api/addresses/move': { body: { network: 'lr-machine', address: '10.62.8.88', to: { network: 'lr-machine' } } },
  'POST /api/reach/measure': { body: { to: 'tern', port: 6443 } },
  'GET /api/addresses/history': { query: { address: '10.62.8.9' } },
  'GET /api/networks/:network/levels': { params: { network: 'lr-machine' } },
  'POST /api/addresses/preview': { body: { text: 'address,name\n10.62.8.88,buoy.lr.kestrelferries.example\n' } },
  'POST /api/addresses/import': { body: { text: 'address,name\n10.62.8.88,buoy.lr.kestrelferries.example\n' } },
  'GET /api/addresses/files/ledger.csv': { query: { site: 'lr' } },
  'GET /api/addresses/files/kea-dhcp4.json': { query: { site: 'lr' } },
  'GET /api/addresses/files/dnsmasq.conf': { query: { site: 'lr' } },
  'GET /api/zones/:zone/drift': { params: zone },
  'GET /api/zones/:zone/file': { params: zone },
  'POST /api/zones/:zone/read': { params: zone },
  'POST /api/zones/:zone/send': { params: zone },
  'POST /api/zones/:zone/add-served': { params: zone, body: { records: [record] } },
  'POST /api/zones/:zone/remove': { params: zone, body: { records: [record] } },

  'POST /api/shipments': { body: { target: 'bw-registry', bills: ['1.34.2', 'log-shipper'] } },
  'POST /api/shipments/chain': {
    body: { bills: ['log-shipper'], stops: [{ target: 'bw-registry' }, { target: 'dnl-registry', way: 'fast-link' }] },
  },
  'POST /api/shipments/:label/repair': { params: { label: 'S-0007' } },
  'POST /api/shipments/:label/start': { params: { label: 'S-0007' }, body: { cases: [1, 2] } },
  'POST /api/shipments/:label/stop': { params: { label: 'S-0007' } },
  'GET /api/shipments/:label/cases/:number': { params: { label: 'S-0007', number: 1 } },
  'GET /api/shipments/:label/would-change': { params: { label: 'S-0007' } },
  'POST /api/shipments/:label/accept': { params: { label: 'S-0007' }, body: { confirm: 'S-0007' } },
  'POST /api/trust/installations': { body: { name: 'Brackwater', key: '0YgNIvnP0uqEbV8zS0wNcYTlrJw3Yf9Z2m0nCq1pO3s=' } },
  'PUT /api/installations/:name/sites': { params: { name: 'Brackwater' }, body: { sites: ['lr'] } },
  'POST /api/installations/:name/bundles': { params: { name: 'Brackwater' } },
  'GET /api/installations/:name/changes/:charter/:number/evidence.tar.gz': {
    params: { name: 'Brackwater', charter: 'plover', number: 1 },
  },
  'GET /api/bundles/:id/file': { params: { id: 1 } },
  'GET /api/bundles/:id': { params: { id: 1 } },
  'POST /api/bundles/:id/take-in': {
    params: { id: 1 },
    body: { choices: [{ kind: 'Host', key: 'lr-02', path: ['unit'], keep: 'there' }] },
  },
  'DELETE /api/bundles/:id': { params: { id: 1 } },
  'DELETE /api/trust/installations/:name': { params: { name: 'Brackwater' } },
  'POST /api/registries/:name/look': { params: { name: 'bw-registry' } },
  'GET /api/registries/:name/scrub': { params: { name: 'bw-registry' } },
  'POST /api/registries/:name/scrub': { params: { name: 'bw-registry' } },
  'DELETE /api/registries/:name/scrub': { params: { name: 'bw-registry' } },
  'GET /api/registries/:name/deletable': { params: { name: 'bw-registry' }, query: { keep: 1 } },
  'POST /api/registries/:name/delete': { params: { name: 'bw-registry' }, body: { bills: ['1.33.6'], names: 96 } },
  'GET /api/registries/:name/published': { params: { name: 'upstream' } },
  'POST /api/registries/:name/published': { params: { name: 'upstream' }, body: { names: ['time-keeper'] } },
  'POST /api/registries/:name/kit': { params: { name: 'lr-registry' }, body: { days: 397 } },
  'GET /api/kits/:id': { params: { id: '0b6e3a1c-9d2f-4e58-8a41-5d0c7b9e2f36' } },
  'GET /api/registries/:name/trust': { params: { name: 'lr-registry' } },
  'POST /api/registries/:name/authority': { params: { name: 'lr-registry' }, body: {} },
  'POST /api/registries/:name/certificate': { params: { name: 'lr-registry' }, body: { answer: cert } },
  'POST /api/registries/:name/request': { params: { name: 'lr-registry' } },
  'GET /api/pulls': { query: { by: 'day', site: 'lr' } },
  'GET /api/registries/:name/readers': { params: { name: 'bw-registry' } },
  'POST /api/registries/:name/pulls': { params: { name: 'bw-registry' } },
  'POST /api/images/where': { body: { charter: 'tern', image: 'images.upstream.example/core/kube-apiserver:1.34.2' } },

  'GET /api/gateways/:name/setup': { params: { name: 'lr-gate' } },
  'POST /api/gateways/:name/setup': { params: { name: 'lr-gate' } },
  'POST /api/gateways/:name/setup/:act': { params: { name: 'lr-gate', act: 'resume' } },

  'GET /api/charters/:name': { params: { name: 'plover' } },
  'PUT /api/charters/:name': {
    params: { name: 'plover' },
    body: { version: 4, text: 'apiVersion: praesidor/v1\nkind: Charter\nname: plover\n…\n', note: 'a wider pool', hold: false },
  },
  'POST /api/charters/:name/hold': { params: { name: 'plover' } },
  'POST /api/charters/:name/precinct': { params: { name: 'plover' }, body: { from: 'lr-precincts' } },
  'POST /api/charters/:name/services/measure': { params: { name: 'plover' } },
  'DELETE /api/charters/:name': { params: { name: 'gannet' } },
  'GET /api/charters/:name/files': { params: { name: 'tern' } },
  'GET /api/charters/:name/prerequisites': { params: { name: 'plover' } },
  'POST /api/charters/:name/prerequisites/measure': { params: { name: 'plover' } },
  'POST /api/charters/:name/prerequisites/confirm': {
    params: { name: 'plover' },
    body: { id: 'vlan', note: 'seen on both switches' },
  },
  'GET /api/charters/:name/files/since-build': { params: { name: 'tern' } },
  'GET /api/charters/:name/files/lines': { params: { name: 'tern' }, query: { of: 'cluster' } },
  'GET /api/charters/:name/kit.tar.gz': { params: { name: 'tern' } },
  'GET /api/charters/:name/kubeconfig': { params: { name: 'tern' }, query: { role: 'view', hours: 8, via: 'planned' } },
  'POST /api/charters/:name/shell': { params: { name: 'tern' }, body: { line: 'get nodes -o wide', role: 'view' } },
  'POST /api/builds': { body: { charter: 'plover', kind: 'build' } },
  'GET /api/charters/:name/change': { params: { name: 'plover' } },
  'GET /api/charters/:name/etcd-backups': { params: { name: 'plover' } },
  'GET /api/charters/:name/etcd-backups/:id/snapshot.db': { params: { name: 'plover', id: 1 } },
  'GET /api/builds/:charter/:number': { params: build },
  'GET /api/builds/:charter/:number/log': { params: build, query: { step: 'lr-02/system', after: 0 } },
  'POST /api/builds/:charter/:number/:act': { params: { ...build, act: 'resume' }, body: { erase: ['lr-08'] } },
  'GET /api/builds/:charter/:number/evidence.tar.gz': { params: build },
  'GET /api/charters/:name/made': { params: { name: 'plover' } },
  'GET /api/charters/:name/proof': { params: { name: 'plover' } },
  'POST /api/charters/:name/proof': { params: { name: 'plover' } },

  'POST /api/keyring': { body: { name: 'bmc-nq', use: 'bmc', user: 'praesidor', secret: 'of the controllers there' } },
  'PUT /api/keyring/:name/places': { params: { name: 'bmc-lr' }, body: { places: ['10.62.7.0/24'] } },
  'DELETE /api/keyring/:name': { params: { name: 'bmc-nq' } },
  'PUT /api/notices/:name': {
    params: { name: 'night-watch' },
    body: {
      name: 'night-watch',
      about: ['failed', 'drift'],
      syslog: { server: 'logs.bw.kestrelferries.example:514', over: 'tcp' },
    },
  },
  'POST /api/notices/:name/test': { params: { name: 'night-watch' } },
  'DELETE /api/notices/:name': { params: { name: 'night-watch' } },
  'POST /api/proving/speed': { body: { speed: 300 } },
  'POST /api/proving/faults': { body: { kind: 'bmc-silent', subject: 'lr-04', plant: true } },
};

/** Answers as a demonstration gave them, by route: the test of the contract holds each against its schema, and writes them anew with `RECORD_ANSWERS=<this file>`. */
export const exampleAnswers = JSON.parse(readFileSync(join(import.meta.dirname, 'api-answers.json'), 'utf8')) as Record<
  string,
  { status: number; body: unknown }
>;
export const exampleFault = {
  code: 'not-found',
  message: 'There is no Host lr-20.',
  remedy: 'Did you mean lr-02?',
};

interface Operation {
  parameters?: { name: string; in: string; example?: unknown }[];
  requestBody?: { content?: Record<string, { example?: unknown }> };
  responses?: Record<string, { content?: Record<string, { example?: unknown }> }>;
}
type Described = { paths?: Record<string, Record<string, Operation>> };

/** An OpenAPI document with the example of each parameter, body, answer and refusal (OpenAPI 3.1 §4.8). */
export function withExamples<T extends object>(document: T): T {
  const out = structuredClone(document) as T & Described;
  for (const [path, methods] of Object.entries(out.paths ?? {}))
    for (const [method, o] of Object.entries(methods)) {
      const key = `${method.toUpperCase()} ${path.replace(/\{(\w+)\}/g, ':$1')}`;
      const asked = exampleRequests[key];
      for (const p of o.parameters ?? []) {
        const value = (p.in === 'path' ? asked?.params : asked?.query)?.[p.name];
        if (value !== undefined) p.example = value;
      }
      if (asked?.body !== undefined) for (const c of Object.values(o.requestBody?.content ?? {})) c.example = asked.body;
      for (const [status, r] of Object.entries(o.responses ?? {}))
        for (const c of Object.values(r.content ?? {}))
          if (status.startsWith('2') && exampleAnswers[key]) c.example = exampleAnswers[key].body;
          else if (status.startsWith('4')) c.example = exampleFault;
    }
  return out;
}
