import { describe, expect, it } from 'vitest';
import { type Gateway, kinds } from '../model/index.ts';
import { usual } from '../schedule/index.ts';
import { gatewaySteps, memberLacks, memberState, setUpOrder, wanderers } from './gateway.ts';

const gateway = (more: object = {}): Gateway =>
  kinds.Gateway.parse({
    kind: 'Gateway',
    name: 'gate',
    site: 'lr',
    addresses: [{ network: 'desks', address: '10.62.40.1', id: 40 }],
    routes: [{ to: '10.70.0.0/16', via: '10.62.0.1' }],
    members: [
      { name: 'gate-a', priority: 150, interfaces: [{ network: 'desks', address: '10.62.40.2' }] },
      { name: 'gate-b', priority: 100, interfaces: [{ network: 'desks', address: '10.62.40.3' }] },
    ],
    ...more,
  }) as Gateway;
const known = (kind: keyof typeof usual) => ({ p50: usual[kind][0], p90: usual[kind][1] });

describe('a gateway is set up', () => {
  it('member after member, who leads last, none before the files of all were judged', () => {
    const steps = gatewaySteps(gateway(), known as never);
    expect(steps.map((s) => `${s.id} after ${s.after.join(' ') || 'nothing'}`)).toEqual([
      'gate-b/judge after nothing',
      'gate-a/judge after nothing',
      'gate-b/set-up after gate-b/judge gate-a/judge',
      'gate-b/holds after gate-b/set-up',
      'gate-a/set-up after gate-b/holds',
      'gate-a/holds after gate-a/set-up',
      'holds after gate-a/holds',
    ]);
  });
  it('who is to have an address as long as it is there comes after who is not', () => {
    const g = gateway({ addresses: [{ network: 'desks', address: '10.62.40.1', id: 40, leads: 'gate-b' }] });
    expect(setUpOrder(g).map((m) => m.name)).toEqual(['gate-a', 'gate-b']);
  });
});

describe('a member says of itself', () => {
  // As birdc of BIRD 2 and ip of iproute2 write it.
  const lines = [
    'bgp peer_1 Established',
    'bgp nodes_of_plover Passive',
    'address up 10.62.0.2/29',
    'address desks 10.62.40.2/24',
    'address desks 10.62.40.1/24',
    'route default via 10.62.0.1 dev up proto bird metric 32',
    'route 10.62.40.0/24 dev desks proto kernel scope link src 10.62.40.2',
    'route 10.70.0.0/16 proto bird metric 32 nexthop via 10.62.0.1 dev up weight 1 nexthop via 10.62.0.3 dev up weight 1',
  ];
  it('its sessions, addresses and routes, each of several equal ways', () => {
    expect(memberState(lines)).toEqual({
      sessions: [
        { name: 'peer_1', state: 'Established' },
        { name: 'nodes_of_plover', state: 'Passive' },
      ],
      addresses: ['10.62.0.2', '10.62.40.2', '10.62.40.1'],
      routes: [
        { to: '0.0.0.0/0', via: '10.62.0.1' },
        { to: '10.70.0.0/16', via: '10.62.0.1' },
        { to: '10.70.0.0/16', via: '10.62.0.3' },
      ],
    });
  });
  const bgp = { as: 64513, peers: [{ address: '10.62.0.1', as: 64514 }] };
  it.each<[string, object, string[], string[]]>([
    ['all that it is to have', { bgp }, lines, []],
    ['no route', { bgp }, lines.slice(0, 5), ['no route to 10.70.0.0/16 over 10.62.0.1']],
    [
      'a session that is not up',
      { bgp },
      ['bgp peer_1 Connect', ...lines.slice(1)],
      ['no session with 10.62.0.1, it is Connect'],
    ],
    ['no session', { bgp }, lines.slice(1), ['no session with 10.62.0.1']],
    [
      'a route to one address, which is shown without its length',
      { routes: [{ to: '10.71.0.9/32', via: '10.62.0.1' }] },
      ['route 10.71.0.9 via 10.62.0.1 dev up'],
      [],
    ],
  ])('%s', (_, more, said, lacks) => {
    const g = gateway(more);
    expect(memberLacks(g, g.members[0] as Gateway['members'][number], memberState(said))).toEqual(lacks);
  });
});

it('an address that moves is at one member: at none or at two is told', () => {
  const at = (...addresses: string[]) => ({ sessions: [], routes: [], addresses });
  const states = (a: string[], b: string[]) =>
    new Map([
      ['gate-a', at(...a)],
      ['gate-b', at(...b)],
    ]);
  expect(wanderers(gateway(), states(['10.62.40.1'], []))).toEqual([]);
  expect(wanderers(gateway(), states([], []))).toEqual(['10.62.40.1 is at no member']);
  expect(wanderers(gateway(), states(['10.62.40.1'], ['10.62.40.1']))).toEqual(['10.62.40.1 is at gate-a and gate-b']);
});
