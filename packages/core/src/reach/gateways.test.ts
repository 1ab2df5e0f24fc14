import { describe, expect, it } from 'vitest';
import { goodEstate, network } from '../../test/estate.ts';
import { applyEdits, type Charter, type Estate, type Gateway, kinds, type Network } from '../model/index.ts';
import { endOf } from './ends.ts';
import { graphOf } from './graph.ts';
import { waysBetween } from './apart.ts';
import { trace } from './trace.ts';

/**
 * Desks behind a router of their own, which has an uplink to each of two gateways. Both stand among the machines, where 10.62.8.1 moves between them.
 *
 *     desks 10.62.40.0/24 ── desk-router ─┬─ up-a 10.62.0.0/29 ── gate-a ─┬─ lr-machine 10.62.8.0/25
 *                                         └─ up-b 10.62.0.8/29 ── gate-b ─┘
 */
function room(more: { gate?: object; a?: object; b?: object; desk?: object; desks?: object; charter?: object } = {}): Estate {
  const e = goodEstate();
  const gateway = (name: string, doc: object) => kinds.Gateway.parse({ kind: 'Gateway', name, site: 'lr', ...doc }) as Gateway;
  return {
    ...e,
    charters: e.charters.map((c) => (c.name === 'plover' ? (kinds.Charter.parse({ ...c, ...more.charter }) as Charter) : c)),
    networks: [
      ...e.networks,
      network('desks', 'machine', '10.62.40.0/24', 840, {
        gateway: '10.62.40.1',
        dhcp: [{ name: 'lease', range: '10.62.40.100-10.62.40.199' }],
        ...more.desks,
      }) as Network,
      network('up-a', 'uplink', '10.62.0.0/29', 820) as Network,
      network('up-b', 'uplink', '10.62.0.8/29', 821) as Network,
    ],
    gateways: [
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
            ...more.desk,
          },
        ],
      }),
      gateway('gate', {
        addresses: [{ network: 'lr-machine', address: '10.62.8.1', id: 8 }],
        members: [
          {
            name: 'gate-a',
            priority: 150,
            interfaces: [
              { network: 'lr-machine', address: '10.62.8.2' },
              { network: 'up-a', address: '10.62.0.2' },
            ],
            routes: [{ to: '10.62.40.0/24', via: '10.62.0.1' }],
            ...more.a,
          },
          {
            name: 'gate-b',
            interfaces: [
              { network: 'lr-machine', address: '10.62.8.3' },
              { network: 'up-b', address: '10.62.0.10' },
            ],
            routes: [{ to: '10.62.40.0/24', via: '10.62.0.9' }],
            ...more.b,
          },
        ],
        ...more.gate,
      }),
    ],
  };
}
const traced = (e: Estate, from: string, to: string, asked = {}) => {
  const g = graphOf(e);
  return trace(g, endOf(e, g, from), endOf(e, g, to), asked);
};
const hops = (l: ReturnType<typeof trace>['forward']) => l.hops.map((h) => `${h.at} → ${h.next ?? 'itself'} in ${h.network}`);
const desk = 'desks/10.62.40.17';
const machine = 'lr-machine/10.62.8.60';

describe('a gateway of two members', () => {
  it('is gone over at the one that leads, and each way has its own next hop', () => {
    const t = traced(room(), desk, machine);
    expect(hops(t.forward)).toEqual([
      '10.62.40.17 → 10.62.40.1 in desks',
      'desk-router → 10.62.0.2 in up-a',
      'gate-a → itself in lr-machine',
    ]);
    expect(hops(t.back)).toEqual([
      '10.62.8.60 → 10.62.8.1 in lr-machine',
      'gate-a → 10.62.0.1 in up-a',
      'desk-router → itself in desks',
    ]);
    expect([t.works, t.asymmetric, t.whileLeading]).toEqual([
      true,
      false,
      [{ gateway: 'gate', member: 'gate-b', works: true, stop: undefined }],
    ]);
  });
  it('of which one lacks the way back works only while the other leads, and the route that it lacks mends it', () => {
    const e = room({ b: { routes: [] } });
    const t = traced(e, desk, machine);
    expect(t.works).toBe(true);
    expect(t.whileLeading).toMatchObject([
      { member: 'gate-b', works: false, stop: { leg: 'back', at: 'gate-b', why: 'it has no route to 10.62.40.17' } },
    ]);
    // Over its own uplink: there the desk router is 10.62.0.9.
    expect(t.whileLeading[0]?.stop?.lacking).toEqual(['10.62.40.0/24 via 10.62.0.9 on gate-b']);
    const mended = applyEdits(e, t.edits);
    expect(mended.gateways[1]?.members[1]?.routes).toEqual([{ to: '10.62.40.0/24', via: '10.62.0.9' }]);
    expect(traced(mended, desk, machine).whileLeading[0]?.works).toBe(true);
  });
  it('of which the other leads answers over other routers than it was asked over', () => {
    const e = room({ gate: { addresses: [{ network: 'lr-machine', address: '10.62.8.1', id: 8, leads: 'gate-b' }] } });
    const t = traced(e, desk, machine);
    expect([t.works, t.asymmetric, t.back.hops[1]?.at]).toEqual([true, true, 'gate-b']);
  });
  it('is mended over another gateway, and not over the member that is there for when it is away', () => {
    // gate-b stands in up-b itself: over it would be one route as well.
    const e = room();
    const led = { ...e, networks: e.networks.map((n) => (n.name === 'up-b' ? { ...n, gateway: '10.62.0.9' } : n)) };
    expect(traced(led, 'up-b', machine).back.stop?.lacking).toEqual(['10.62.0.8/29 via 10.62.0.1 on gate-a']);
  });
  it('asks for the fewest routes: two where two routers lack one each', () => {
    const e = room({ a: { routes: [] }, b: { routes: [] }, desk: { routes: [] } });
    const t = traced(e, desk, machine);
    expect(t.forward.stop?.lacking).toEqual(['10.62.8.0/25 via 10.62.0.2 on desk-router']);
    const mended = applyEdits(e, t.edits);
    const after = traced(mended, desk, machine);
    expect([after.works, after.whileLeading.every((w) => w.works)]).toEqual([true, true]);
  });
});

describe('rules', () => {
  const deny = [{ do: 'deny', from: '10.62.40.0/24', to: '10.62.8.0/25', protocol: 'tcp', port: 1, lastPort: 1023 }];
  it('stop what matches first, and a rule before it lets it pass', () => {
    const e = room({ gate: { rules: deny } });
    const t = traced(e, desk, machine, { port: 443 });
    expect(t.forward.stop).toMatchObject({
      at: 'gate-a',
      why: 'rule 1 stops it: deny TCP 1-1023 from 10.62.40.0/24 to 10.62.8.0/25',
    });
    expect([traced(e, desk, machine, { port: 6443 }).works, traced(e, desk, machine).works]).toEqual([true, true]);
    const mended = applyEdits(e, t.edits);
    expect(mended.gateways[1]?.rules[0]).toMatchObject({ do: 'allow', protocol: 'tcp', port: 443 });
    expect(traced(mended, desk, machine, { port: 443 }).works).toBe(true);
    expect(traced(mended, desk, machine, { port: 80 }).works).toBe(false);
  });
  it('about a port that is asked say nothing of answers, which come from it', () => {
    const t = traced(
      room({
        gate: {
          rules: [{ do: 'deny', from: '10.62.8.0/25', to: '10.62.40.0/24', protocol: 'tcp', port: 443 }],
          addresses: [{ network: 'lr-machine', address: '10.62.8.1', id: 8, leads: 'gate-b' }],
        },
      }),
      desk,
      machine,
      { port: 443 },
    );
    // The answer passes gate-b, which knows of no such connection, to a port that is none of its rules.
    expect([t.works, t.asymmetric]).toEqual([true, true]);
    // Who leads is named as it is declared, although the question passes the other one.
    expect(t.whileLeading.map((w) => w.member)).toEqual(['gate-a']);
  });
  it('let answers pass at the router that let the question pass, and at no other', () => {
    const back = [{ do: 'deny', from: '10.62.8.0/25', to: '10.62.40.0/24' }];
    expect(traced(room({ gate: { rules: back } }), desk, machine).works).toBe(true);
    const t = traced(
      room({ gate: { rules: back, addresses: [{ network: 'lr-machine', address: '10.62.8.1', id: 8, leads: 'gate-b' }] } }),
      desk,
      machine,
    );
    expect([t.works, t.back.stop?.at]).toEqual([false, 'gate-b']);
    expect(t.back.stop?.why).toContain('the question went another way');
    // What begins there is no answer.
    expect(traced(room({ gate: { rules: back } }), machine, desk).works).toBe(false);
  });
});

describe('a source that is translated', () => {
  const nat = [{ from: '10.62.8.0/25', to: '10.62.0.2', out: 'up-a' }];
  it('leaves as another, and its answer is given back to whom it belongs', () => {
    // The desks know nothing of the machines: the answer goes to the translated address.
    const t = traced(room({ gate: { nat } }), machine, desk);
    expect(t.forward.hops[1]?.nat).toEqual({ of: 'source', before: '10.62.8.60', after: '10.62.0.2' });
    expect(hops(t.back)).toEqual([
      '10.62.40.17 → 10.62.40.1 in desks',
      'desk-router → 10.62.0.2 in up-a',
      'gate-a → itself in lr-machine',
    ]);
    expect(t.back.hops[2]?.nat).toEqual({ of: 'destination', before: '10.62.0.2', after: '10.62.8.60' });
    expect(t.works).toBe(true);
  });
});

describe('routes that are given by DHCP', () => {
  const given = (to: string) => ({
    dhcp: [{ name: 'lease', range: '10.62.40.100-10.62.40.199', routes: [{ to, via: '10.62.40.1' }] }],
  });
  it('lead those that took their address from the scope, and the gateway is left aside', () => {
    const leased = 'desks/10.62.40.120';
    expect(traced(room({ desks: given('10.62.8.0/24') }), leased, machine).forward.hops[0]?.chosen).toEqual({
      prefix: '10.62.8.0/24',
      from: { kind: 'Network', name: 'desks', path: ['dhcp', 0, 'routes', 0] },
    });
    const t = traced(room({ desks: given('10.99.0.0/16') }), leased, machine);
    expect(t.forward.stop?.why).toContain('none of them leads to 10.62.8.60');
    // Who has a fixed address was given nothing.
    expect(traced(room({ desks: given('10.99.0.0/16') }), desk, machine).works).toBe(true);
  });
});

describe('what is published', () => {
  const pool = {
    range: '10.62.8.64-10.62.8.79',
    announce: 'arp',
    services: [{ name: 'radar-archive', namespace: 'default', port: 443 }],
  };
  it('by ARP is answered by one node, and goes on to the pod inside of the overlay', () => {
    const t = traced(room({ charter: { servicePool: pool } }), desk, 'plover/radar-archive', { port: 443 });
    expect(t.to).toMatchObject({ label: 'radar-archive', address: '10.62.8.64', network: 'lr-machine' });
    expect(t.forward.hops.at(-2)?.note).toBe('asks for 10.62.8.64: one host answers');
    const plover = room().charters.find((c) => c.name === 'plover');
    const adds = { geneve: 58, vxlan: 50, ipip: 20, wireguard: 60, none: 0 }[plover?.overlay.kind ?? 'none'];
    expect(t.forward.hops.at(-1)?.inside?.mtu).toBe(1500 - adds);
    expect([t.forward.mtu, t.forward.gbit]).toEqual([1500 - adds, 25]);
    expect([
      t.works,
      traced(room({ charter: { servicePool: pool } }), desk, 'plover/radar-archive', { bytes: 1500 - adds }).works,
    ]).toEqual([adds === 0, true]);
    expect(t.back.hops[0]?.note).toBe('answers from the address that was asked');
  });
  it('by BGP is known to those that it is announced to, also where no network has it', () => {
    const bgp = { range: '10.62.200.0-10.62.200.15', announce: 'bgp', as: 64512, peers: [{ address: '10.62.8.2', as: 64513 }] };
    const e = room({
      charter: { servicePool: bgp },
      gate: { bgp: { as: 64513 } },
      desk: { routes: [{ to: '10.62.0.0/16', via: '10.62.0.2' }] },
    });
    const t = traced(e, desk, '10.62.200.3', { bytes: 1400 });
    expect(t.forward.hops[2]).toMatchObject({
      at: 'gate-a',
      next: expect.stringMatching(/^one of \d nodes of plover$/),
      chosen: { prefix: '10.62.200.0/28', from: { kind: 'Charter', name: 'plover', path: ['servicePool', 'peers', 0] } },
    });
    expect(t.works).toBe(true);
    // In the network of the nodes it is asked for on the link: who has told routers answers there no more than elsewhere.
    const near = room({ charter: { servicePool: { ...bgp, range: '10.62.8.64-10.62.8.79' } }, gate: { bgp: { as: 64513 } } });
    expect(traced(near, machine, '10.62.8.64').forward.stop?.why).toContain(
      'nodes of plover answer none: they tell routers by BGP',
    );
    expect(traced(near, desk, '10.62.8.64', { bytes: 1400 }).works).toBe(true);
    // So is a router that stands there and is told nothing.
    const far = network('far', 'client', '10.62.41.0/24', 841, { gateway: '10.62.41.1', routesTo: ['lr-machine'] }) as Network;
    const untold = traced({ ...near, networks: [...near.networks, far] }, 'far', '10.62.8.64').forward.stop;
    expect([untold?.at, untold?.why]).toEqual(['router of far', expect.stringContaining('they tell routers by BGP')]);
    // Over the other one, which nothing is announced to, it ends.
    const other = room({
      charter: { servicePool: bgp },
      gate: { bgp: { as: 64513 } },
      desk: { routes: [{ to: '10.62.0.0/16', via: '10.62.0.10' }] },
    });
    expect(traced(other, desk, '10.62.200.3').forward.stop?.at).toBe('gate-b');
    // An AS number that the router does not have is answered by nobody.
    const wrong = room({
      charter: { servicePool: bgp },
      gate: { bgp: { as: 64999 } },
      desk: { routes: [{ to: '10.62.0.0/16', via: '10.62.0.2' }] },
    });
    expect(traced(wrong, desk, '10.62.200.3').forward.stop?.at).toBe('gate-a');
  });
  it('pods are known to their own nodes alone', () => {
    const t = traced(room(), desk, 'plover/pod');
    expect(t.forward.stop?.why).toContain('known to its own nodes alone');
    expect(traced(room(), 'plover/pod', desk, { bytes: 1400 })).toMatchObject({ works: true });
  });
});

describe('clusters that are to be kept apart', () => {
  /** A second cluster, whose machines are those of the desks. */
  const two = (rules: object[] = []): Estate => {
    const e = room({ gate: { rules } });
    const [plover] = e.charters as [Charter, ...Charter[]];
    return {
      ...e,
      charters: [...e.charters, { ...plover, name: 'teal', machineNetwork: 'desks', servicePool: undefined } as Charter],
    };
  };
  const ways = (e: Estate) =>
    waysBetween(graphOf(e), e.charters.find((c) => c.name === 'plover') as Charter, e.charters.at(-1) as Charter).map(
      (w) => `${w.from} to ${w.what} of ${w.to} over ${w.over.join(', ')}`,
    );
  it('are seen in both directions, to nodes and to what is published', () => {
    expect(ways(two())).toEqual([
      'plover to nodes of teal over gate-a, desk-router',
      'teal to nodes of plover over desk-router, gate-a',
      'teal to services of plover over desk-router, gate-a',
    ]);
  });
  it('are kept apart by rules between their networks, both ways', () => {
    const one = [{ do: 'deny', from: '10.62.40.0/24', to: '10.62.8.0/25' }];
    expect(ways(two(one))).toEqual(['plover to nodes of teal over gate-a, desk-router']);
    expect(ways(two([...one, { do: 'deny', from: '10.62.8.0/25', to: '10.62.40.0/24' }]))).toEqual([]);
  });
});
