import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoEstate } from '../../../../bench/demo-estate.ts';
import { contains, overlaps, parsePrefix, prefixRange } from '../address/parse.ts';
import {
  applyEdits,
  type Charter,
  type Doc,
  type Estate,
  type Host,
  keyOf,
  kinds,
  type Network,
  type Registry,
  type Zone,
} from '../model/index.ts';
import { check } from '../checks/index.ts';
import { viewOf } from '../reading/index.ts';
import { type Asked, readSites, type SitesPreview } from './index.ts';

const demo = demoEstate();
const read = (text: string, more: Partial<Asked> = {}, estate: Estate = demo): SitesPreview =>
  readSites(viewOf(estate), { text, like: 'ptl', ...more });
const only = (p: SitesPreview) => {
  expect([p.fault, p.sites.flatMap((s) => s.faults)]).toEqual([undefined, []]);
  return p.sites[0] as SitesPreview['sites'][number];
};
const doc = <D extends Doc>(docs: readonly Doc[], kind: D['kind'], key: string) =>
  docs.find((d) => d.kind === kind && keyOf(d) === key) as D;
const faults = (p: SitesPreview) => p.sites.flatMap((s) => s.faults.map((f) => `${f.line} ${s.name}: ${f.message}`));

describe('a site like another', () => {
  const s = only(read('site,title,block\navo,MV Avocet,10.80.0.0/21', { block: '10.70.0.0/21' }));
  it('has its networks at the same places of its own block: 10.70.1.0/27 of 10.70.0.0/21 is 10.80.1.0/27 of 10.80.0.0/21', () => {
    expect(s.networks).toEqual([
      { name: 'avo-bmc', prefix: '10.80.7.0/28' },
      { name: 'avo-machine', prefix: '10.80.1.0/27' },
    ]);
    expect(doc<Network>(s.docs, 'Network', 'avo-machine')).toMatchObject({
      gateway: '10.80.1.1',
      vlan: 100,
      pools: [
        { name: 'virtual', range: '10.80.1.4-10.80.1.7', use: 'virtual' },
        { name: 'nodes', range: '10.80.1.8-10.80.1.15', use: 'host' },
      ],
    });
  });
  it('has its own names: of the site, its zones and its registry; what several sites share stays', () => {
    expect(s.docs[0]).toMatchObject({
      kind: 'Site',
      name: 'avo',
      title: 'MV Avocet',
      domain: 'avo.kestrelferries.example',
      // The ship's own resolver moves with its block; that of the hall is shared.
      resolvers: ['10.80.0.53', '10.40.0.53'],
      ntp: ['10.80.0.60'],
      form: 'edge',
      link: { rateMbit: 8, hours: '01:00-05:00' },
    });
    expect(s.docs.filter((d) => d.kind === 'Zone').map((d) => (d as Zone).name)).toEqual([
      '1.80.10.in-addr.arpa',
      'avo.kestrelferries.example',
    ]);
    expect(doc<Zone>(s.docs, 'Zone', 'avo.kestrelferries.example')).toMatchObject({
      primary: '10.40.0.53',
      servers: ['ns1.kestrelferries.example'],
      key: 'bw-dns',
    });
    expect(doc<Registry>(s.docs, 'Registry', 'avo-registry')).toMatchObject({
      endpoint: 'registry.avo.kestrelferries.example:5000',
      credential: 'avo-registry',
    });
    expect(s.docs.find((d) => d.kind === 'Reservation' && d.address === '10.80.1.3')).toMatchObject({
      network: 'avo-machine',
      name: 'registry.avo.kestrelferries.example',
      owner: { name: 'avo-registry' },
    });
  });
  it('has as many hosts at the same places, of which nothing is known that was not read or typed', () => {
    expect(s.hosts).toEqual(['avo-1', 'avo-2', 'avo-3']);
    const host = doc<Host>(s.docs, 'Host', 'avo-2');
    expect(host).toMatchObject({
      state: 'listed',
      rack: 'R1',
      unit: 4,
      zone: 'R1',
      bmc: { address: '10.80.7.3', credential: 'bmc-ships' },
    });
    expect([host.facts, host.held]).toEqual([undefined, undefined]);
  });
  it('has a cluster of the same template: its answers at their places here, its ranges the next free ones', () => {
    const c = doc<Charter>(s.docs, 'Charter', 'avo-cluster');
    expect(c).toMatchObject({
      site: 'avo',
      machineNetwork: 'avo-machine',
      mirror: 'avo-registry',
      servicePool: { range: '10.80.1.20-10.80.1.23' },
      controlPlane: { count: 3 },
      workers: { count: 0 },
      template: { name: 'ship-edge', version: 7 },
      release: '1.34.2',
      // 10.144.0.0/18 is that of petrel and dunlin, 10.144.128.0/18 that of turnstone.
      pods: { range: '10.144.64.0/18' },
    });
    expect(s.cluster?.answers.find((a) => a.ask.includes('published'))).toMatchObject({
      text: '10.80.1.20-10.80.1.23',
      why: 'as at ptl',
    });
  });
  it('has nothing of what belongs to the hosts and clusters of that one alone: precincts, their addresses, what was given back', () => {
    const reservation = (address: string, more: object) =>
      kinds.Reservation.parse({
        kind: 'Reservation',
        network: 'ptl-machine',
        address,
        owner: { kind: 'hand', name: 'radar' },
        ...more,
      });
    const docs: Doc[] = [
      kinds.Network.parse({
        kind: 'Network',
        name: 'ptl-petrel',
        site: 'ptl',
        purpose: 'machine',
        prefix: '10.70.2.0/28',
        precinct: 'petrel',
      }),
      reservation('10.70.1.24', {}),
      reservation('10.70.1.25', { owner: { kind: 'host', name: 'ptl-1' } }),
      reservation('10.70.1.26', { owner: { kind: 'charter', name: 'petrel' } }),
      reservation('10.70.1.27', { resting: true }),
      reservation('10.70.1.28', { origin: 'follows' }),
    ];
    const more = applyEdits(
      demo,
      docs.map((d) => ({ op: 'put', doc: d })),
    );
    const made = only(read('site,block\navo,10.80.0.0/21', {}, more)).docs;
    expect(made.filter((d) => d.kind === 'Network').map(keyOf)).toEqual(['avo-bmc', 'avo-machine']);
    expect(made.filter((d) => d.kind === 'Reservation').map(keyOf)).toEqual(['avo-machine/10.80.1.24', 'avo-machine/10.80.1.3']);
  });
  it('trusts the authority of a registry where that signs for several sites; one of a single site is not taken for its own', () => {
    const ca = '-----BEGIN CERTIFICATE-----\nMIIB\n-----END CERTIFICATE-----\n';
    const made = (of: readonly string[]) => {
      const trusting = { ...demo, registries: demo.registries.map((r) => (of.includes(r.name) ? { ...r, ca } : r)) };
      return doc<Registry>(only(read('site\navo', {}, trusting)).docs, 'Registry', 'avo-registry').ca;
    };
    expect([made(['ptl-registry']), made(['ptl-registry', 'dnl-registry'])]).toEqual([undefined, ca]);
  });
  it('has none where none is asked for', () => {
    expect(only(read('site\navo', { cluster: false })).docs.some((d) => d.kind === 'Charter')).toBe(false);
  });
  it('brings no finding with it but of what is not there yet: who reads it, fit machines, images, entries of the keyring', () => {
    const after = applyEdits(
      demo,
      s.docs.map((d) => ({ op: 'put', doc: d })),
    );
    const before = new Set(check(demo).findings.map((f) => f.id));
    expect(
      [
        ...new Set(
          check(after)
            .findings.filter((f) => !before.has(f.id))
            .map((f) => f.code),
        ),
      ].sort(),
    ).toEqual(['ACC-001', 'CHT-005', 'IMG-014', 'KEY-001']);
  });
});

describe('a table of sites', () => {
  it('carves the next free block of the same length for each that names none, in the order of its lines', () => {
    const p = read('site,block\navo,\nbrt,10.70.8.0/21\nsnd,');
    // 10.70.0.0/21 is ptl; the /21 behind it is taken by a line, and the next are those of the lines without one.
    expect(p.sites.map((s) => [s.name, s.blocks, s.carved])).toEqual([
      ['avo', '10.70.16.0/21', true],
      ['brt', '10.70.8.0/21', false],
      ['snd', '10.70.24.0/21', true],
    ]);
    expect(p.block).toBe('10.70.0.0/21');
    // Of a wider block, and from where somebody says.
    expect(read('site\navo\nbrt', { block: '10.70.0.0/16', within: '10.96.0.0/12' }).sites.map((s) => s.blocks)).toEqual([
      '10.96.0.0/16',
      '10.97.0.0/16',
    ]);
  });
  it('has a line for a site, or one for each of its hosts with what is known of them', () => {
    const s = only(
      read(
        'site,title,host,serial,macs,memory,bmc ip\navo,MV Avocet,avo-a,HW1,52:8a:1c:50:01:01,64 GiB,\nAVO,,avo-b,HW2,52:8a:1c:50:02:01,32 GiB,10.9.9.9',
      ),
    );
    expect([s.lines, s.hosts, s.title]).toEqual([[2, 3], ['avo-a', 'avo-b'], 'MV Avocet']);
    expect(doc<Host>(s.docs, 'Host', 'avo-a')).toMatchObject({
      unit: 2,
      facts: { serial: 'HW1', memoryGiB: 64, source: 'imported' },
    });
    expect(doc<Host>(s.docs, 'Host', 'avo-b').bmc?.address).toBe('10.9.9.9');
    // Two hosts: one member of the control plane, the other a worker.
    expect(doc<Charter>(s.docs, 'Charter', 'avo-cluster')).toMatchObject({ controlPlane: { count: 1 }, workers: { count: 1 } });
    expect(only(read('site,hosts\navo,5')).hosts).toEqual(['avo-1', 'avo-2', 'avo-3', 'avo-4', 'avo-5']);
    expect(only(read('site,hosts\navo,0')).hosts).toEqual([]);
  });
  it('answers questions of the template in columns headed with their keys', () => {
    const s = only(read('site,name,control-plane,workers\navo,avocet,1,2', { columns: { name: 'name' } }));
    expect(s.cluster).toMatchObject({ name: 'avocet', template: 'ship-edge', version: 7 });
    expect(doc<Charter>(s.docs, 'Charter', 'avocet')).toMatchObject({ controlPlane: { count: 1 }, workers: { count: 2 } });
  });
  it('names the entries of the keyring that will be needed', () => {
    expect(read('site\navo').credentials).toEqual(['avo-registry']);
  });
  it('leaves what is there as it is: pasted again it makes nothing', () => {
    const p = read('site\navo');
    const after = applyEdits(
      demo,
      only(p).docs.map((d) => ({ op: 'put', doc: d })),
    );
    expect(read('site\navo', {}, after)).toMatchObject({
      counts: { new: 0, there: 1, wrong: 0 },
      sites: [{ what: 'there', docs: [] }],
    });
  });
  it.each<[string, string, Partial<Asked>, RegExp]>([
    ['a line without a site', 'site,title\n,MV None', {}, /^2 : the line names no site$/],
    ['a name that is none', 'site\nMV Avocet', {}, /^2 mv avocet: .*a name is lower-case letters/],
    ['a block that is taken', 'site,block\navo,10.71.1.0/21', {}, /^2 avo: block: /],
    [
      'a block over another network',
      'site,block\navo,10.71.0.0/21',
      {},
      /^2 avo: block: 10\.71\.0\.0\/21 overlaps that of dnl-bmc, 10\.71\.7\.0\/28$/,
    ],
    [
      'a block that is too small',
      'site,block\navo,10.80.0.0/24',
      {},
      /^2 avo: block: 10\.80\.0\.0\/24 is smaller than the block of ptl, a \/21$/,
    ],
    [
      'two that want the same block',
      'site,block\navo,10.80.0.0/21\nbrt,10.80.0.0/20',
      {},
      /^3 brt: block: 10\.80\.0\.0\/20 overlaps that of avo$/,
    ],
    [
      'two lines that say different things',
      'site,title,host\navo,MV Avocet,a-1\navo,MV Brent,a-2',
      {},
      /^3 avo: title is MV Avocet in line 2, and MV Brent here$/,
    ],
    ['a time zone that is none', 'site,timezone\navo,Europe/Atlantis', {}, /^2 avo: Site avo: timezone: /],
    ['a number of hosts that is none', 'site,hosts\navo,three', {}, /^2 avo: hosts: "three" is not a number of hosts$/],
    ['a host of another site', 'site,host\navo,ptl-1', {}, /^2 avo: Host ptl-1 is there already$/],
    ['a host that two want', 'site,host\navo,x-1\nbrt,x-1', {}, /^3 brt: Host x-1 is made for avo too$/],
    ['a machine that cannot be read', 'site,host,memory\navo,avo-1,lots', {}, /^2 avo: memory gib: "lots" is not a number$/],
    [
      'an answer that is none',
      'site,control-plane\navo,many',
      {},
      /^2 avo: How many hosts are the control plane\? "many" is no number of hosts$/,
    ],
    ['more cells than columns', 'site\navo,b', {}, /^2 avo: the line has 2 cells and the head 1/],
    ['a place with no room', 'site\navo\nbrt', { within: '10.96.0.0/21' }, /^3 brt: no \/21 is free in 10\.96\.0\.0\/21$/],
  ])('%s is said with its line, and that site is not made', (_, text, more, says) => {
    const p = read(text, more);
    expect(faults(p)[0]).toMatch(says);
    const wrong = p.sites.find((s) => s.faults.length);
    expect([wrong?.what, wrong?.docs]).toEqual(['wrong', []]);
  });
  it('says when the ranges of a template are used up, at the sites that get none', () => {
    // 10.144.0.0/16 holds four /18; two are taken, one of them twice.
    const p = read('site\na-1\na-2\na-3\na-4');
    expect(p.counts).toEqual({ new: 2, there: 0, wrong: 2 });
    expect(faults(p)).toEqual([
      '4 a-3: Which range have its pods? No /18 is free in 10.144.0.0/16.',
      '5 a-4: Which range have its pods? No /18 is free in 10.144.0.0/16.',
    ]);
  });
  it.each<[string, string, Partial<Asked>, RegExp]>([
    ['no such site', 'site\navo', { like: 'nowhere' }, /^there is no site nowhere$/],
    ['no column for the site', 'block\n10.80.0.0/21', {}, /^no column is headed site/],
    ['nothing', '', {}, /^the first line must name the columns: site, title/],
    [
      'a block that does not hold its networks',
      'site\navo',
      { block: '10.80.0.0/16' },
      /^10\.80\.0\.0\/16 does not hold the networks of ptl$/,
    ],
    ['a block that is none', 'site\navo', { within: 'ten' }, /^the block to carve from: /],
  ])('that has %s is refused as a whole', (_, text, more, says) => {
    expect(read(text, more).fault?.message).toMatch(says);
  });
  it('is like a hall as well: what is of one site alone is left out, and said', () => {
    const p = read('site,domain\nnew,new.kestrelferries.example', { like: 'bw', cluster: false });
    expect(p.apart.length).toBeGreaterThan(0);
    const s = only(p);
    expect(s.docs.filter((d) => d.kind === 'Gateway' || d.kind === 'Hypervisor')).toEqual([]);
    expect(s.hosts.length).toBe(
      demo.hosts.filter((h) => h.site === 'bw' && !h.guest && h.state !== 'retired' && h.state !== 'sighted').length,
    );
  });
  it('makes sites that share no address with anything, each inside its block, whatever is there', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ give: fc.boolean(), at: fc.integer({ min: 0, max: 40 }) }), { minLength: 1, maxLength: 12 }),
        (lines) => {
          const text = `site,block\n${lines.map((l, i) => `s-${i},${l.give ? `10.70.${(l.at % 32) * 8}.0/21` : ''}`).join('\n')}`;
          const p = read(text, { cluster: false });
          const made = p.sites.filter((s) => s.what === 'new');
          const ranges = [
            ...demo.networks.map((n) => prefixRange(parsePrefix(n.prefix))),
            ...made.map((s) => prefixRange(parsePrefix(s.blocks))),
          ];
          const last = ranges.slice(demo.networks.length);
          for (const [i, r] of last.entries())
            for (const [k, o] of ranges.entries()) if (k !== demo.networks.length + i) expect(overlaps(r, o)).toBe(false);
          for (const s of made)
            for (const n of s.networks)
              expect(contains(prefixRange(parsePrefix(s.blocks)), prefixRange(parsePrefix(n.prefix)))).toBe(true);
          // A line without a block is never wrong: there is room for all.
          expect(lines.every((l, i) => l.give || p.sites[i]?.what === 'new')).toBe(true);
        },
      ),
      { numRuns: 60 },
    );
  });
});
