import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import { applyEdits, type Doc, type Estate, type Hypervisor, kinds, type Mould, type Site } from '../model/index.ts';
import {
  castPlan,
  type Domain,
  domainOf,
  domainXml,
  guestId,
  guestMac,
  hindered,
  rackSvg,
  rackView,
  readDomain,
} from './index.ts';

const hypervisor = (i: number) =>
  kinds.Hypervisor.parse({
    kind: 'Hypervisor',
    name: `hv-${i}`,
    site: 'lr',
    zone: 'ABC'[i - 1],
    rack: 'R1',
    unit: 40 - i,
    endpoint: `hv-${i}.lr.kestrelferries.example:8443`,
    credential: 'hv-lr',
    cores: 16,
    memoryGiB: 72,
    pools: [
      { name: 'fast', media: 'nvme', sizeGB: 900 },
      { name: 'wide', media: 'hdd', sizeGB: 4000 },
    ],
    networks: [{ network: 'lr-machine', bridge: 'br812' }],
  }) as Hypervisor;
const mould = kinds.Mould.parse({
  kind: 'Mould',
  name: 'node-m',
  vcpu: 8,
  memoryGiB: 16,
  disks: [
    { sizeGB: 60, media: 'nvme' },
    { sizeGB: 400, media: 'hdd' },
  ],
  image: 'debian-12',
  networks: ['lr-machine'],
}) as Mould;
const estate = (): Estate =>
  applyEdits(
    goodEstate(),
    [hypervisor(1), hypervisor(2), hypervisor(3), mould].map((doc) => ({ op: 'put' as const, doc: doc as Doc })),
  );
const wish = {
  site: 'lr',
  mould: 'node-m',
  count: 3,
  stem: 'lr-g',
  group: 'teal',
  rules: { strategy: 'spread', tolerate: 1 },
} as const;

describe('casting', () => {
  it('makes hosts with names, places, pools and facts of their own', () => {
    const { hosts, packing } = castPlan(wish, estate());
    expect(hosts.map((h) => [h.name, h.guest?.hypervisor, h.zone, h.guest?.pools])).toEqual([
      ['lr-g1', 'hv-1', 'A', ['fast', 'wide']],
      ['lr-g2', 'hv-2', 'B', ['fast', 'wide']],
      ['lr-g3', 'hv-3', 'C', ['fast', 'wide']],
    ]);
    expect(hosts[0]?.facts).toMatchObject({
      source: 'mould',
      cores: 8,
      memoryGiB: 16,
      disks: [
        { bay: 'vda', sizeGB: 60 },
        { bay: 'vdb', media: 'hdd' },
      ],
    });
    expect(new Set(hosts.flatMap((h) => h.facts?.nics.map((n) => n.mac))).size).toBe(3);
    expect(packing.left.map((l) => l.memoryGiB)).toEqual([48, 48, 48]); // 72 − 8 − 16
  });
  it('goes on behind the names that are taken, and beside the guests that stand', () => {
    const first = castPlan(wish, estate());
    const later = applyEdits(
      estate(),
      first.hosts.map((doc) => ({ op: 'put' as const, doc })),
    );
    const more = castPlan({ ...wish, count: 1, group: undefined }, later);
    expect(more.hosts[0]?.name).toBe('lr-g4');
    expect(more.packing.left.reduce((s, l) => s + l.guests, 0)).toBe(4);
    // a fourth of the same group finds no hypervisor without one
    expect(castPlan({ ...wish, count: 1 }, later).packing.unplaced[0]?.why).toContain('one of the group teal stands on each');
  });
  it('is refused without the mould', () => {
    expect(() => castPlan({ ...wish, mould: 'lost' }, estate())).toThrow('there is no mould lost');
  });
  it('identifiers and MACs are the same every time, of the right form, and apart', () => {
    fc.assert(
      fc.property(fc.array(fc.stringMatching(/^[a-z]{1,8}-[0-9]{1,3}$/), { minLength: 2, maxLength: 40 }), (names) => {
        const apart = [...new Set(names)];
        const ids = apart.map((n) => guestId('lr', n));
        for (const id of ids) expect(id).toMatch(/^[0-9a-f]{8}-[0-9a-f]{4}-8[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
        expect(new Set(ids).size).toBe(apart.length);
        const macs = apart.map((n) => guestMac('lr', n, 0));
        for (const m of macs) expect(m).toMatch(/^52:54(:[0-9a-f]{2}){4}$/);
        expect(new Set(macs).size).toBe(apart.length);
      }),
    );
  });
});

describe('the domain of a guest', () => {
  const guest = castPlan(wish, estate()).hosts[0];
  it('says what the mould asks, on the bridge of its network, with its seed', () => {
    const xml = domainXml(domainOf(guest as never, mould, hypervisor(1), 'http://10.40.0.9/boot/t/'));
    for (const part of [
      '<memory unit="MiB">16384</memory>',
      '<vcpu placement="static">8</vcpu>',
      '<source bridge="br812"/>',
      'ds=nocloud-net;s=http://10.40.0.9/boot/t/',
      '<smbios mode="sysinfo"/>',
      '<source pool="fast" volume="lr-g1-0"/>',
      '<target dev="vdb" bus="virtio"/>',
    ])
      expect(xml).toContain(part);
  });
  it('is refused where its hypervisor has no bridge', () => {
    expect(() => domainOf(guest as never, { ...mould, networks: ['lr-bmc'] }, hypervisor(1))).toThrow(
      'hv-1 has no bridge for lr-bmc',
    );
  });
  it('is read as it was written', () => {
    fc.assert(
      fc.property(
        fc.record({
          name: fc.stringMatching(/^[a-z][a-z0-9-]{0,20}$/),
          uuid: fc.uuid(),
          vcpu: fc.integer({ min: 1, max: 256 }),
          memoryGiB: fc.integer({ min: 1, max: 2048 }),
          disks: fc.array(
            fc.record({ pool: fc.stringMatching(/^[a-z]{1,8}$/), volume: fc.stringMatching(/^[a-z0-9-]{1,12}$/) }),
            { minLength: 1, maxLength: 6 },
          ),
          nics: fc.array(fc.record({ mac: fc.constant('52:54:00:00:00:01'), bridge: fc.stringMatching(/^br[0-9]{1,4}$/) }), {
            minLength: 1,
            maxLength: 4,
          }),
        }),
        (d) => {
          expect(readDomain(domainXml(d as Domain))).toEqual(d);
        },
      ),
    );
  });
  it.each([
    ['', 'Start tag expected'],
    ['<x/>', 'there is no domain in it'],
    ['<domain><name>a</name></domain>', 'uuid is missing'],
    ['<!DOCTYPE d [<!ENTITY a "b">]><domain/>', 'document types and entities are not read'],
    ['<domain>'.repeat(30_000), 'more than 200 kB of XML'],
  ])('%.30s is refused: %s', (xml, why) => {
    expect(() => readDomain(xml)).toThrow(why);
  });
});

describe('a rack', () => {
  const site = { ...(goodEstate().sites[0] as Site), racks: [{ name: 'R1', units: 10, limitW: 1000 }] };
  const all = [
    { name: 'a', rack: 'R1', unit: 1, height: 2, drawsW: 400 },
    { name: 'b', rack: 'R1', unit: 2, drawsW: 300 },
    { name: 'panel', rack: 'R1', unit: 5, side: 'rear' as const, depth: 'half' as const },
    { name: 'high', rack: 'R1', unit: 10, height: 2 },
    { name: 'elsewhere', rack: 'R2', unit: 1 },
  ];
  it('shows each side, what is claimed twice, what has no place, and what it draws', () => {
    const front = rackView(site, 'R1', all, 'front');
    expect(front.slots.map((s) => [s.name, s.face, s.claimed])).toEqual([
      ['a', true, true],
      ['b', true, true],
    ]);
    expect(front).toMatchObject({ outside: ['high'], drawsW: 700, withoutReading: 2, limitW: 1000 });
    expect(rackView(site, 'R1', all, 'rear').slots.map((s) => [s.name, s.face])).toEqual([
      ['a', false],
      ['b', false],
      ['panel', true],
    ]);
  });
  it.each([
    [{ name: 'new' }, 1, 'a stands there'],
    [{ name: 'new', height: 3 }, 3, 'panel stands there'], // units 3 to 5, full depth
    [{ name: 'new', depth: 'half' as const }, 5, undefined], // in front of the panel
    [{ name: 'new', height: 2 }, 10, 'new takes 2 units; R1 ends at 10'],
    [{ name: 'a', height: 2 }, 3, undefined],
    [{ name: 'new' }, 0, 'new takes 1 unit; R1 ends at 10'],
  ])('%j at unit %i: %s', (thing, unit, why) => {
    expect(hindered(site, all, thing, 'R1', unit)).toBe(why);
  });
  it('is drawn as SVG with nothing left raw in it', () => {
    const svg = rackSvg('Lantern <Rock>', [
      { side: 'front', view: rackView(site, 'R1', [...all, { name: 'x&y', rack: 'R1', unit: 7 }], 'front') },
    ]);
    expect(svg).toContain('Lantern &lt;Rock&gt;');
    expect(svg).toContain('x&amp;y');
    expect(svg).toContain('rack R1, front · 700 W of 1000 W, 3 without reading');
    expect(svg.match(/<rect /g)).toHaveLength(1 + 10 + 3);
  });
  it('a host that is retired stands nowhere', () => {
    expect(
      rackView(
        site,
        'R1',
        [
          { ...host(1), unit: 3 },
          { ...host(2), unit: 4, state: 'retired' },
        ],
        'front',
      ).slots.map((s) => s.name),
    ).toEqual(['lr-01']);
  });
});
