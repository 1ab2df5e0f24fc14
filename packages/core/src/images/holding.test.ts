import { describe, expect, it } from 'vitest';
import { type Bill, type Charter, emptyEstate, type Estate, type Host, kinds } from '../model/index.ts';
import { handOver, placesOfCredential, sharedBetween, suffices, deletable, wouldPull } from './index.ts';

const d = (c: string) => `sha256:${c.repeat(64)}`;
const image = (name: string, manifest: string, ...blobs: string[]): Bill['images'][number] => ({
  ref: `up.example/core/${name}`,
  component: 'x',
  on: 'node',
  digest: d(manifest),
  manifests: [d(manifest)],
  blobs: blobs.map(d),
});
const sizes = {
  [d('a')]: { bytes: 1, declaredBytes: 1000 },
  [d('b')]: { bytes: 2, declaredBytes: 2000 },
  [d('c')]: { bytes: 4, declaredBytes: 4000 },
};
/** Three releases: 1 is used by tern, 2 by nobody, 3 is the newest. a is shared by all, b is 2's and 3's, c is 2's alone. */
const bills: Record<string, Bill> = {
  '1': { name: '1', at: '', images: [image('api:1', '1', 'a')], blobs: { [d('a')]: sizes[d('a')] as never } },
  '2': { name: '2', at: '', images: [image('api:2', '2', 'a', 'b', 'c')], blobs: sizes },
  '3': {
    name: '3',
    at: '',
    images: [image('api:3', '3', 'a', 'b')],
    blobs: { [d('a')]: sizes[d('a')] as never, [d('b')]: sizes[d('b')] as never },
  },
};
const doc = <T>(kind: keyof typeof kinds, fields: object): T => kinds[kind].parse({ kind, ...fields }) as T;
function estate(): Estate {
  const e = emptyEstate('2026-11-23T09:00:00Z');
  e.sites = [doc('Site', { name: 'bw', title: 'Hall', form: 'hall', reach: 'open', domain: 'bw.example' })];
  e.registries = [
    doc('Registry', {
      name: 'r',
      site: 'bw',
      role: 'starter',
      endpoint: 'r.bw.example:5000',
      credential: 'r',
      ca: '-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n',
      diskGB: 0.00001,
      host: 'h',
    }),
    doc('Registry', { name: 's', site: 'bw', role: 'standing', endpoint: 's.bw.example:5000' }),
  ];
  e.networks = [
    doc('Network', { name: 'machine', site: 'bw', purpose: 'machine', prefix: '10.0.0.0/24', gateway: '10.0.0.1' }),
    doc('Network', { name: 'far', site: 'bw', purpose: 'machine', prefix: '10.0.9.0/24', gateway: '10.0.9.1' }),
  ];
  e.reservations = [
    doc('Reservation', { address: '10.0.0.9', network: 'machine', name: 'r.bw.example', owner: { kind: 'registry', name: 'r' } }),
  ];
  e.releases = ['1', '2', '3'].map((n) =>
    doc('Release', {
      name: n,
      version: `${n}.0.0`,
      arch: ['x86-64'],
      source: 'up',
      components: [{ name: 'api', image: `up.example/core/api:${n}`, on: 'node' }],
    }),
  );
  e.charters = [
    doc<Charter>('Charter', {
      name: 'tern',
      site: 'bw',
      release: '1',
      mirror: 'r',
      controlPlane: { count: 1 },
      workers: { count: 0 },
      machineNetwork: 'machine',
      pods: { range: '10.200.0.0/16' },
      services: { range: '10.201.0.0/16' },
      overlay: { kind: 'none' },
    }),
  ];
  e.hosts = [doc<Host>('Host', { name: 'h', site: 'bw', state: 'serving', held: { charter: 'tern', role: 'control-plane' } })];
  e.keys = [{ name: 'r', use: 'registry', places: [] }];
  e.observed.bills = bills;
  const names = ['1', '2', '3'].map((n) => `core/api:${n}@${d(n)}`);
  e.observed.registries = {
    r: {
      at: '',
      digests: ['1', '2', '3', 'a', 'b', 'c'].map(d),
      names: [...names, `core/other:1@${d('9')}`],
      certificate: {
        subject: '',
        issuer: 'Hall CA',
        names: ['r.bw.example'],
        notBefore: '',
        notAfter: '2027-01-01T00:00:00Z',
        fingerprint: '',
        trusted: true,
      },
    },
    s: { at: '', digests: [], names: [] },
  };
  return e;
}

describe('what may go', () => {
  it('is what no charter names and is not among the newest; a shared blob stays with whoever needs it', () => {
    const m = deletable(estate(), 'r', { last: 1 });
    expect(m.stays).toEqual([
      { bill: '1', why: ['tern runs on it'] },
      { bill: '3', why: ['it is the newest'] },
    ]);
    // 2 has a, b and c; a is in 1, b in 3: only c comes free
    expect(m.goes).toEqual([{ bill: '2', images: ['up.example/core/api:2'], declaredBytes: 4000 }]);
    expect(m.free).toEqual({ blobs: 1, bytes: 4, declaredBytes: 4000 });
    expect(m.deletes).toEqual([{ repository: 'core/api', tag: '2', digest: d('2') }]);
    expect(m.unknown).toEqual([`core/other:1@${d('9')}`]);
  });
  it('is more where less is kept, and two that go free together what they share', () => {
    const m = deletable(estate(), 'r', { last: 0 });
    expect(m.goes.map((g) => [g.bill, g.declaredBytes])).toEqual([
      ['2', 4000],
      ['3', 0],
    ]);
    expect(m.free).toEqual({ blobs: 2, bytes: 6, declaredBytes: 6000 });
  });
  it('is nothing that a shipment moves', () => {
    const m = deletable(estate(), 'r', { last: 0, moving: [{ bill: '2', shipment: 'BW-1' }] });
    expect(m.stays.find((s) => s.bill === '2')?.why).toEqual(['shipment BW-1 moves it']);
    expect(m.goes.map((g) => g.bill)).toEqual(['3']);
  });
});

describe('a pull', () => {
  const steps = (e: Estate, name = 'up.example/core/api:1') => {
    const w = wouldPull(e, 'h', name);
    return [w.works, ...w.steps.filter((s) => s.good !== true).map((s) => `${s.what}: ${s.text}`)];
  };
  it('works where rule, name, way, certificate, trust, credentials and content are right', () => {
    expect(steps(estate())).toEqual([true]);
    expect(wouldPull(estate(), 'h', 'up.example/core/api:1').steps.map((s) => s.text)).toEqual([
      'longest rule up.example → r.bw.example:5000',
      'r.bw.example is 10.0.0.9',
      '10.0.0.9 lies in machine, as h does',
      'its certificate names it, until 2027-01-01',
      'h is given the anchor of Hall CA',
      'credentials r from the keyring',
      'sha256:11111111…1111 is there, 1.0 kB',
    ]);
  });
  it.each<[string, (e: Estate) => void, string]>([
    [
      'another name in the certificate',
      (e) => void (e.observed.registries.r!.certificate!.names = ['x.example']),
      'certificate: its certificate is for x.example, not for r.bw.example',
    ],
    [
      'a certificate that ended',
      (e) => void (e.now = '2027-01-02T00:00:00Z'),
      'certificate: its certificate ended on 2027-01-01',
    ],
    [
      'no anchor declared',
      (e) => void delete e.registries[0]!.ca,
      'trust: no certificate authority is declared for r: h is given none, and trusts nobody',
    ],
    ['credentials that are not there', (e) => void (e.keys = []), 'credentials: credentials r, which the keyring does not have'],
    [
      'a layer that is not there',
      (e) => void e.observed.registries.r!.digests.splice(3, 1),
      'content: 1 of its layers and manifests are not there',
    ],
    [
      'a network without a way',
      (e) => void (e.reservations[0]!.address = '10.0.9.9'),
      'path: machine does not reach far, where 10.0.9.9 lies: it stops at router of machine, it has no route to 10.0.9.9',
    ],
  ])('fails over %s, and says so', (_, change, why) => {
    const e = estate();
    change(e);
    expect(steps(e)).toEqual([false, why]);
  });
  it('of a name without a rule would go outside', () => {
    expect(steps(estate(), 'elsewhere.example/x:1')).toEqual([
      false,
      'rule: no rule of tern begins this name: the runtime would ask elsewhere.example itself',
    ]);
  });
  it('is not known where nobody looked yet', () => {
    const e = estate();
    e.observed.registries = {};
    expect(wouldPull(e, 'h', 'up.example/core/api:1').works).toBeUndefined();
  });
});

describe('a registry’s host', () => {
  it('has to have room for what is held and what is wanted, with a tenth left, and to itself', () => {
    const e = estate();
    const lines = suffices(e, e.registries[0]!, e.hosts[0]!, ['1', '2', '3']);
    // All three together are 7,000 bytes on paper; of a disk of 10,000 bytes 9,000 may be filled
    expect(lines.find((l) => l.what === 'disk for images')).toMatchObject({
      good: true,
      has: '9.0 kB of 10 kB, a tenth stays free',
    });
    expect(lines.find((l) => l.what === 'lives alone there')).toMatchObject({ good: false, has: 'control-plane of tern' });
    e.registries[0]!.diskGB = 0.0000077;
    expect(suffices(e, e.registries[0]!, e.hosts[0]!, ['1', '2', '3']).find((l) => l.what === 'disk for images')?.good).toBe(
      false,
    );
  });
});

describe('a hand-over', () => {
  it('begins with the content, then switches clusters, and keeps the starter until nothing uses it', () => {
    const e = estate();
    const of = (pulls = 0) =>
      handOver(e, e.registries[0]!, e.registries[1]!, pulls).steps.map((s) => [s.what, s.done, s.waits ?? '']);
    expect(of()).toEqual([
      ['content', false, ''],
      ['proof', false, 'its content is not there yet'],
      ['cluster', false, 'its content is not there yet'],
      ['starter', false, '1 cluster still pulls from it'],
    ]);
    e.observed.registries.s = { at: '', digests: ['1', 'a'].map(d), names: [`core/api:1@${d('1')}`] };
    expect(of().slice(0, 3)).toEqual([
      ['content', true, ''],
      ['proof', false, ''],
      ['cluster', false, 'what is there was not proved yet'],
    ]);
    const scrub = { running: false, done: 2, of: 2, bytes: 9, endedAt: '2026-11-23T09:00:00Z', damaged: [], missing: [] };
    const proved = (s: object) => {
      e.observed.registries.s = { ...e.observed.registries.s!, scrub: { ...scrub, ...s } };
      return of().slice(1, 3);
    };
    // Read before the last blob came, still under way, or with one that did not verify: not proved.
    for (const s of [{ of: 1 }, { running: true }, { damaged: [{ digest: d('a'), why: 'rot' }] }])
      expect(proved(s).map(([, done]) => done)).toEqual([false, false]);
    expect(proved({})).toEqual([
      ['proof', true, ''],
      ['cluster', false, ''],
    ]);
    // One that tells no more than the standard answered for each.
    const { scrub: _, ...told } = e.observed.registries.s!;
    e.observed.registries.s = { ...told, askedAt: '2026-11-23T09:00:00Z' };
    expect(of()[1]).toEqual(['proof', true, '']);
    e.charters[0]!.mirror = 's';
    expect(of(3).at(-1)).toEqual(['starter', false, 'it was read 3 times since']);
    expect(of().at(-1)).toEqual(['starter', false, '']);
  });
});

it('what bills share is said of each pair, most first', () => {
  expect(sharedBetween(Object.values(bills))).toEqual([
    { a: '2', b: '3', declaredBytes: 3000, blobs: 2 },
    { a: '1', b: '2', declaredBytes: 1000, blobs: 1 },
    { a: '1', b: '3', declaredBytes: 1000, blobs: 1 },
  ]);
});
it('a credential that changes is changed at the registry, on every host, and for shipments', () => {
  expect(placesOfCredential(estate(), 'r').map((p) => p.text)).toEqual([
    'r.bw.example:5000: its list of users',
    'hosts.toml on 1 host of tern',
    'shipments to and from r: the keyring entry r',
  ]);
});
