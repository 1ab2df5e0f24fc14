import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, network } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { applyEdits, type Charter, type Estate, type Gateway, kinds, type Network, type Reservation } from '../model/index.ts';
import { announcements, clusterReach, endOf, graphOf, reachMatrix, trace, whatIs } from './index.ts';

const published = (pool: object, e = goodEstate()): Estate => ({
  ...e,
  charters: e.charters.map((c) =>
    c.name === 'plover'
      ? (kinds.Charter.parse({ ...c, servicePool: { range: '10.62.8.64-10.62.8.67', ...pool } }) as Charter)
      : c,
  ),
});
const plan = (e: Estate) => resolve(e.charters[0] as Charter, e);
const reserved = (address: string, use: string) =>
  kinds.Reservation.parse({
    kind: 'Reservation',
    address,
    network: 'lr-machine',
    owner: { kind: 'charter', name: 'plover', use },
  }) as Reservation;

describe('addresses of planned services', () => {
  it('follow by turn, and those that are set or taken are left out', () => {
    const e = published({ services: [{ name: 'a' }, { name: 'b', address: '10.62.8.64' }, { name: 'c' }] });
    const taken = {
      ...e,
      reservations: [
        ...e.reservations,
        kinds.Reservation.parse({
          kind: 'Reservation',
          address: '10.62.8.65',
          network: 'lr-machine',
          owner: { kind: 'hand', name: 'x' },
        }) as Reservation,
      ],
    };
    expect(plan(e).services.map((s) => [s.name, s.address, s.by])).toEqual([
      ['a', '10.62.8.65', 'turn'],
      ['b', '10.62.8.64', 'set'],
      ['c', '10.62.8.66', 'turn'],
    ]);
    expect(plan(taken).services.map((s) => s.address)).toEqual(['10.62.8.66', '10.62.8.64', '10.62.8.67']);
  });
  it('are kept: who comes before in the list takes nothing from those that have theirs', () => {
    const e = published({ services: [{ name: 'new' }, { name: 'old' }] });
    const held = { ...e, reservations: [...e.reservations, reserved('10.62.8.64', 'service default/old')] };
    expect(plan(held).services.map((s) => [s.name, s.address, s.by])).toEqual([
      ['new', '10.62.8.65', 'turn'],
      ['old', '10.62.8.64', 'held'],
    ]);
    // One that lies in no pool any more is no address of it.
    const moved = published({ range: '10.62.8.72-10.62.8.75', services: [{ name: 'old' }] });
    expect(plan({ ...moved, reservations: held.reservations }).services[0]?.address).toBe('10.62.8.72');
  });
  it('are reserved for the cluster, and end with the pool', () => {
    const e = published({ services: ['a', 'b', 'c', 'd', 'e'].map((name) => ({ name })) });
    expect(plan(e).services.map((s) => s.address)).toEqual(['10.62.8.64', '10.62.8.65', '10.62.8.66', '10.62.8.67', undefined]);
    expect(
      plan(e)
        .reservations.filter((r) => r.owner.use?.startsWith('service'))
        .map((r) => `${r.owner.use} ${r.address}`),
    ).toEqual([
      'service default/a 10.62.8.64',
      'service default/b 10.62.8.65',
      'service default/c 10.62.8.66',
      'service default/d 10.62.8.67',
    ]);
  });
});

describe('ways of announcing', () => {
  const gate = (bgp: object) =>
    kinds.Gateway.parse({
      kind: 'Gateway',
      name: 'gate',
      site: 'lr',
      bgp: { as: 64513, ...bgp },
      members: [{ name: 'gate-a', interfaces: [{ network: 'lr-machine', address: '10.62.8.2' }] }],
    }) as Gateway;
  const bgp = { announce: 'bgp', as: 64512, peers: [{ address: '10.62.8.2', as: 64513 }] };
  const of = (pool: object, gateways: Gateway[] = []) => {
    const [arp, by] = announcements(plan(published(pool)), gateways);
    return { arp, bgp: by };
  };
  it('by ARP one node carries a service, and another answers after lease, grace and telling', () => {
    const { arp } = of({ announce: 'arp' });
    const { timers } = plan(published({}));
    // A lease of 40 s is renewed every 10; 10 + grace + 2.
    expect(arp).toMatchObject({ chosen: true, carriers: 1, ceiling: 25, outage: timers.lease / 4 + timers.grace + 2, lacks: [] });
  });
  it('by BGP as many as routers use at once, and both sides take the smaller hold timer', () => {
    expect(of(bgp, [gate({ hold: 30, ways: 2 })]).bgp).toMatchObject({ chosen: true, carriers: 2, ceiling: 50, outage: 31 });
    expect(of({ ...bgp, hold: 9 }, [gate({ hold: 30, ways: 64 })]).bgp).toMatchObject({ carriers: 3, ceiling: 75, outage: 10 });
    // Of a router of which nothing is declared, the usual 90 s.
    expect(of(bgp).bgp?.outage).toBe(91);
  });
  it('BFD counts where both sides have it, at the slower pace', () => {
    const fast = { interval: 100, missed: 3 };
    expect(of({ ...bgp, bfd: fast }, [gate({ hold: 30, bfd: { interval: 300, missed: 3 } })]).bgp?.outage).toBeCloseTo(1.9, 9);
    expect(of({ ...bgp, bfd: fast }, [gate({ hold: 30 })]).bgp?.outage).toBe(31);
  });
  it('says what is lacking for the other', () => {
    expect(of({ announce: 'arp' }).bgp?.lacks).toEqual(['the AS number of the nodes', 'a router to speak with']);
  });
});

describe('how a cluster is reached', () => {
  it('has a line for each network of the site, with the route that its machines need', () => {
    const e = published({ services: [{ name: 'radar-archive', port: 443 }] });
    const desks = network('desks', 'client', '10.62.40.0/24', 840, {
      gateway: '10.62.40.1',
      routesTo: ['lr-machine'],
    }) as Network;
    const with_ = { ...e, networks: [...e.networks, desks] };
    const reach = clusterReach(plan(with_), with_);
    expect(reach.clients).toEqual([
      {
        network: 'desks',
        prefix: '10.62.40.0/24',
        way: 'there',
        why: 'the answer stops at router of lr-machine: it has no route to 10.62.40.2',
        lacking: ['lr-machine routed to desks'],
        route: { to: ['10.62.8.64/30'], via: '10.62.40.1' },
      },
    ]);
    expect(reach.services).toEqual([
      { name: 'radar-archive', namespace: 'default', address: '10.62.8.64', port: 443, by: 'turn', end: 'plover/radar-archive' },
    ]);
    expect(reach.ranges.map((r) => [r.of, r.range])).toEqual([
      ['Nodes', '10.62.8.32-10.62.8.59'],
      ['API', plan(e).api.address],
      ['Inbound', plan(e).inbound.address],
      ['Pods', '10.128.0.0/16'],
      ['Services inside', '10.129.0.0/18'],
      ['Published services', '10.62.8.64-10.62.8.67'],
      ['What leaves', 'the node’s own'],
    ]);
  });
  it('an address is what the plan says of it, the narrowest first', () => {
    const e = published({ services: [{ name: 'radar-archive' }] });
    const node = plan(e).nodes[0];
    expect(whatIs(e, '10.62.8.64')[0]).toEqual({
      what: 'service default/radar-archive of plover',
      block: '10.62.8.64-10.62.8.67',
    });
    expect(whatIs(e, '10.62.8.66')[0]?.what).toBe('free for a published service of plover');
    expect(whatIs(e, node?.address ?? '')[0]).toMatchObject({ node: node?.host, network: 'lr-machine' });
    expect(whatIs(e, '10.128.7.9')).toEqual([{ what: 'a pod of plover', block: '10.128.7.0/24' }]);
    expect(whatIs(e, '10.62.8.1')[0]?.what).toBe('router of lr-machine');
    expect(whatIs(e, '10.62.8.105')).toEqual([
      { what: 'an address that DHCP leases', network: 'lr-machine', block: '10.62.8.100-10.62.8.119' },
    ]);
    expect(whatIs(e, '192.168.1.1')).toEqual([]);
  });
  it('the matrix says of every pair what a path between them does', () => {
    const e = goodEstate();
    const of = ['lr-tun-host', 'lr-tun-gate', 'lr-machine', 'lr-bmc'].map((n) => e.networks.find((x) => x.name === n) as Network);
    expect(reachMatrix(e, of)).toEqual([
      ['both', 'both', 'none', 'none'],
      ['both', 'both', 'none', 'none'],
      ['none', 'none', 'both', 'none'],
      ['none', 'none', 'none', 'both'],
    ]);
  });
});

describe('what mends a path', () => {
  /** A line of gateways, each of one member, that joins networks 0 … n; of their routes some are there. */
  const line = (n: number, has: readonly boolean[]): Estate => {
    const name = (i: number) => `net-${i}`;
    const prefix = (i: number) => `10.${i}.0.0/24`;
    return {
      ...goodEstate(),
      charters: [],
      networks: Array.from(
        { length: n + 1 },
        (_, i) => network(name(i), 'machine', prefix(i), 100 + i, { gateway: `10.${i}.0.1` }) as Network,
      ),
      gateways: Array.from({ length: n }, (_, i) => {
        // Gateway i has .1 in its left network and .2 in its right one; the last one is the gateway of the last network too.
        const faces = [
          { network: name(i), address: `10.${i}.0.1` },
          { network: name(i + 1), address: `10.${i + 1}.0.${i === n - 1 ? 1 : 2}` },
        ];
        const right = has[2 * i] && i < n - 1 ? [{ to: prefix(n), via: `10.${i + 1}.0.1` }] : [];
        const left = has[2 * i + 1] && i > 0 ? [{ to: prefix(0), via: `10.${i}.0.2` }] : [];
        return kinds.Gateway.parse({
          kind: 'Gateway',
          name: `gate-${i}`,
          site: 'lr',
          members: [{ name: `member-${i}`, interfaces: faces, routes: [...right, ...left] }],
        }) as Gateway;
      }),
    };
  };
  it('is as many routes as are lacking, and mends it: in every line of gateways', () => {
    fc.assert(
      fc.property(fc.integer({ min: 2, max: 7 }), fc.array(fc.boolean(), { minLength: 14, maxLength: 14 }), (n, has) => {
        const e = line(n, has);
        const path = (x: Estate) => {
          const g = graphOf(x);
          return trace(g, endOf(x, g, 'net-0'), endOf(x, g, `net-${n}`));
        };
        const t = path(e);
        // From the first on, every gateway but the last needs a way to the right; from the last on, every one but the first a way to the left.
        const lacks = Array.from({ length: n }, (_, i) => [i < n - 1 && !has[2 * i], i > 0 && !has[2 * i + 1]])
          .flat()
          .filter(Boolean);
        expect(t.works).toBe(lacks.length === 0);
        // A direction is looked at from where it stops: what lies before is there.
        const mended = path(applyEdits(e, t.edits));
        expect([mended.forward.stop, mended.back.stop, mended.works]).toEqual([undefined, undefined, true]);
        const told = [...(t.forward.stop?.lacking ?? []), ...(t.back.stop?.lacking ?? [])];
        expect(told.length).toBe(lacks.length);
      }),
      { numRuns: 300 },
    );
  });
});

describe('the sheet of a cluster that publishes something', () => {
  const lines = (more: object) => {
    const e = goodEstate();
    const charter = kinds.Charter.parse({ ...e.charters[0], servicePool: more }) as Charter;
    return resolve(charter, { ...e, charters: [charter] }).follows.filter((f) => f.id.startsWith('announced-'));
  };
  it('has both ways of announcing side by side, with what each gives, takes and lacks', () => {
    const [arp, bgp] = lines({ range: '10.62.8.64-10.62.8.79', announce: 'arp' });
    // 40 s / 4 + 50 s + 2 s; 90 s + 1 s.
    expect(arp?.text).toBe('1 node, 25 Gbit/s, out for 1 min 2 s when one dies, as set');
    expect(bgp?.text).toMatch(/^3 nodes, 75 Gbit\/s, out for 1 min 31 s when one dies, lacks the AS number of the nodes/);
    expect(bgp?.why.map((w) => w.figures.what)).toContain('routers that speak BGP with every node');
  });
  it('follows from the timers and BFD of the charter', () => {
    const peers = [{ address: '10.62.8.1', as: 64513 }];
    const [, bgp] = lines({
      range: '10.62.8.64-10.62.8.79',
      announce: 'bgp',
      as: 64512,
      peers,
      bfd: { interval: 100, missed: 3 },
    });
    expect(bgp?.text).toBe('3 nodes, 75 Gbit/s, out for 1.3 s when one dies, as set');
  });
  it('says nothing of it where nothing is published', () => {
    const e = goodEstate();
    const charter = { ...(e.charters[0] as Charter), servicePool: undefined };
    expect(resolve(charter, { ...e, charters: [charter] }).follows.filter((f) => f.id.startsWith('announced-'))).toEqual([]);
  });
});
