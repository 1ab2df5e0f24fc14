import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, network } from '../../test/estate.ts';
import { contains, overlaps, parsePrefix, parseRange, prefixRange } from '../address/index.ts';
import { deletionOf, resolve } from '../charter/index.ts';
import { check } from '../checks/index.ts';
import { gatewayFiles } from '../files/index.ts';
import { applyEdits, type Charter, type Estate, type Gateway, type Host, kinds, type Network } from '../model/index.ts';
import { type Carved, carvePrecinct, precinctOf, precinctsLeft, returnPrecinct } from './precinct.ts';
import { graphOf } from './graph.ts';
import { endOf } from './ends.ts';
import { trace } from './trace.ts';

const asks = { length: 26, vlans: { first: 860, last: 863 }, gateway: 'gate', outbound: ['up'] };
/** Precincts of 64 addresses out of 10.62.128.0/24, behind two gateways that both have an address in the uplink. */
function room(more: { precincts?: object; pods?: object; outbound?: object; members?: number } = {}): Estate {
  const e = goodEstate();
  const members = ['gate-a', 'gate-b'].slice(0, more.members ?? 2).map((name, i) => ({
    name,
    priority: 150 - 50 * i,
    interfaces: [{ network: 'up', address: `10.62.0.${2 + i}` }],
    routes: [{ to: '0.0.0.0/0', via: '10.62.0.1' }],
  }));
  return {
    ...e,
    networks: [
      ...e.networks,
      network('up', 'uplink', '10.62.0.0/28', 820, { gateway: '10.62.0.1', ...more.outbound }) as Network,
      {
        ...(network('apart', 'machine', '10.62.128.0/24', 1, {
          precincts: { ...asks, ...(more.pods ? { pods: more.pods } : {}), ...more.precincts },
        }) as Network),
        vlan: undefined,
      } as Network,
    ],
    gateways: [kinds.Gateway.parse({ kind: 'Gateway', name: 'gate', site: 'lr', members }) as Gateway],
  };
}
const charterOf = (e: Estate, name = 'plover') => e.charters.find((c) => c.name === name) as Charter;
const carve = (e: Estate, name = 'plover') => carvePrecinct(e, charterOf(e, name), 'apart');
const made = (c: Carved) => {
  if ('refused' in c) throw new Error(c.refused);
  return c;
};
const after = (e: Estate, name = 'plover') => applyEdits(e, made(carve(e, name)).edits);

describe('a precinct', () => {
  it('is the next free prefix and VLAN, with addresses for the gateway, for nodes and for what is published', () => {
    // 64 addresses: .1 moves, .2 and .3 are the members', nodes from .4; the last quarter is .48 to .62, the four before it are virtual.
    const { precinct } = made(carve(room()));
    expect(precinct).toEqual({
      network: 'plover-precinct',
      parent: 'apart',
      prefix: '10.62.128.0/26',
      vlan: 860,
      gateway: { name: 'gate', address: '10.62.128.1' },
      outbound: [{ network: 'up', address: '10.62.0.4' }],
      inbound: '10.62.128.48-10.62.128.62',
      pods: { range: '10.128.0.0/16', perNode: 24 },
    });
    const n = after(room()).networks.find((x) => x.name === 'plover-precinct');
    expect(n?.pools.map((p) => `${p.name} ${p.range}`)).toEqual([
      'virtual 10.62.128.44-10.62.128.47',
      'nodes 10.62.128.4-10.62.128.43',
      'inbound 10.62.128.48-10.62.128.62',
    ]);
  });
  it('is what the cluster stands in then, with everything that was set for another network following anew', () => {
    const e = room();
    e.charters = e.charters.map((c) => ({
      ...c,
      nodesFrom: '10.62.8.40',
      api: { address: '10.62.8.21' },
      servicePool: {
        range: '10.62.8.64-10.62.8.79',
        announce: 'bgp' as const,
        as: 64512,
        peers: [{ address: '10.62.0.3', as: 64513 }],
        services: [{ name: 'archive', namespace: 'default', address: '10.62.8.70' }],
      },
    }));
    const now = after(e);
    const moved = charterOf(now);
    expect([moved.machineNetwork, moved.nodesFrom, moved.api.address]).toEqual(['plover-precinct', undefined, undefined]);
    expect(moved.servicePool).toMatchObject({
      range: '10.62.128.48-10.62.128.62',
      peers: [{ address: '10.62.128.3', as: 64513 }],
      services: [{ name: 'archive', namespace: 'default' }],
    });
    const plan = resolve(moved, now);
    expect([plan.api.address, plan.inbound.address, plan.nodes[0]?.address, plan.services[0]?.address]).toEqual([
      '10.62.128.44',
      '10.62.128.45',
      '10.62.128.4',
      '10.62.128.48',
    ]);
  });
  it('is routed by each member, which leaves with the address of the cluster: it moves with who leads', () => {
    const now = after(room());
    const files = gatewayFiles(now, now.gateways[0] as Gateway);
    const of = (member: string, path: string) => files.find((f) => f.member === member && f.path.endsWith(path))?.text ?? '';
    expect(of('gate-b', 'keepalived.conf')).toMatch(/interface vlan860\n[^}]*10\.62\.128\.1\/26/);
    expect(of('gate-b', 'keepalived.conf')).toMatch(/interface up\n[^}]*10\.62\.0\.4\/28/);
    expect(of('gate-a', 'nftables.conf')).toContain('oifname "up" ip saddr 10.62.128.0/26 snat ip to 10.62.0.4');
    const reach = graphOf(now);
    const { forward } = trace(reach, endOf(now, reach, 'plover-precinct'), endOf(now, reach, '10.62.0.1'), 1);
    expect(forward.stop).toBeUndefined();
    expect(forward.hops.find((h) => h.nat)?.nat).toMatchObject({ after: '10.62.0.4' });
  });
  it('of one gateway alone has the address of that', () => {
    const now = after(room({ members: 1 }));
    expect(now.gateways[0]?.members[0]?.interfaces.at(-1)).toMatchObject({ network: 'plover-precinct', address: '10.62.128.1' });
    expect(now.gateways[0]?.addresses.map((a) => a.address)).toEqual(['10.62.0.3']);
    expect(gatewayFiles(now, now.gateways[0] as Gateway).map((f) => f.path)).toContain('/etc/keepalived/keepalived.conf');
  });
  it('has pods of its own where these are carved as well: no range of another cluster', () => {
    // plover's own 10.128.0.0/16 lies in the block, and is not given again.
    const { precinct } = made(carve(room({ pods: { prefix: '10.128.0.0/14', length: 16 } })));
    expect(precinct.pods.range).toBe('10.130.0.0/16');
  });
  it('takes from the pool for outbound addresses, where the uplink has one', () => {
    const outbound = { pools: [{ name: 'leaving', range: '10.62.0.8-10.62.0.11', use: 'outbound' }] };
    expect(made(carve(room({ outbound }))).precinct.outbound).toEqual([{ network: 'up', address: '10.62.0.8' }]);
  });
  it('adds no finding that stops', () => {
    const stops = (e: Estate) =>
      check(e)
        .findings.filter((f) => f.severity === 'stop')
        .map((f) => `${f.code} ${f.title}`);
    const before = stops(room());
    expect(stops(after(room())).filter((s) => !before.includes(s))).toEqual([]);
  });
});

describe('a precinct cannot be carved', () => {
  const refused = (e: Estate) => {
    const c = carve(e);
    return 'refused' in c ? c.refused : 'made';
  };
  const four = (e: Estate) =>
    [0, 64, 128, 192]
      .map((n, i) => network(`old-${i}`, 'machine', `10.62.128.${n}/26`, 900 + i, { parent: 'apart' }) as Network)
      .concat(e.networks);
  it.each<[string, () => Estate, string]>([
    ['when the prefix is used up', () => ({ ...room(), networks: four(room()) }), 'apart has no free /26 left.'],
    [
      'when all VLANs are in use',
      () => {
        const e = room({ precincts: { vlans: { first: 812, last: 812 } } });
        return e;
      },
      'VLANs 812 to 812 are all in use at the site.',
    ],
    [
      'when its gateway is not there',
      () => ({ ...room(), gateways: [] }),
      'There is no gateway gate, which routes for precincts of apart.',
    ],
    [
      'when the gateway has no address where it is to leave',
      () => room({ precincts: { outbound: ['lr-bmc'] } }),
      'gate has no address in lr-bmc, where precincts leave.',
    ],
    [
      'out of any network',
      () => ({ ...room(), networks: room().networks.map((n) => ({ ...n, precincts: undefined })) }),
      'No precincts are carved out of apart.',
    ],
    ['twice', () => after(room()), 'plover has a precinct: plover-precinct.'],
    [
      'for a cluster that stands',
      () => {
        const e = room();
        return {
          ...e,
          hosts: e.hosts.map((h, i) =>
            i ? h : ({ ...h, state: 'serving', held: { charter: 'plover', role: 'worker' } } as Host),
          ),
        };
      },
      '1 host serves plover. A cluster does not move to another network.',
    ],
  ])('%s', (_, estate, why) => {
    expect(refused(estate())).toBe(why);
  });
});

describe('precincts', () => {
  it('never overlap each other, nor anything in their parent, whatever is there already', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 15 }), { maxLength: 8 }),
        fc.integer({ min: 26, max: 27 }),
        (old, length) => {
          const e = room({ precincts: { length, vlans: { first: 860, last: 899 } } });
          e.networks = [
            ...e.networks,
            ...[...new Set(old)].map(
              (n, i) => network(`old-${i}`, 'machine', `10.62.128.${n * 16}/28`, 900 + i, { parent: 'apart' }) as Network,
            ),
          ];
          let now = e;
          for (let i = 0; i < 4; i++) {
            now = {
              ...now,
              charters: [...now.charters, { ...charterOf(now), name: `c${i}`, machineNetwork: 'lr-machine' } as Charter],
            };
            const room = precinctsLeft(now, now.networks.find((n) => n.name === 'apart') as Network);
            const c = carve(now, `c${i}`);
            expect('refused' in c).toBe(room.prefixes === 0n);
            if ('refused' in c) break;
            now = applyEdits(now, c.edits);
          }
          const all = now.networks.filter((n) => n.parent === 'apart').map((n) => prefixRange(parsePrefix(n.prefix)));
          const whole = prefixRange(parsePrefix('10.62.128.0/24'));
          for (const [i, a] of all.entries()) {
            expect(contains(whole, a)).toBe(true);
            for (const b of all.slice(i + 1)) expect(overlaps(a, b)).toBe(false);
          }
          const precincts = now.networks.filter((n) => n.precinct);
          expect(new Set(precincts.map((n) => n.vlan)).size).toBe(precincts.length);
          // What is set aside in one lies in it, apart from each other.
          for (const n of precincts) {
            const ranges = n.pools.map((p) => parseRange(p.range));
            for (const [i, a] of ranges.entries()) {
              expect(contains(prefixRange(parsePrefix(n.prefix)), a)).toBe(true);
              for (const b of ranges.slice(i + 1)) expect(overlaps(a, b)).toBe(false);
            }
          }
          const left = now.gateways[0]?.nat.map((n) => n.to) ?? [];
          expect(new Set(left).size).toBe(left.length);
        },
      ),
      { numRuns: 60 },
    );
  });
  it('are counted at once, also where a network covers more of them than could be gone through', () => {
    // Of 2^75 blocks of /123 in a /48, a /64 covers 2^59, a second one as many, and one inside of the first none more.
    const e = room();
    const wide = { ...(network('wide', 'machine', 'fd00:99::/48', 1) as Network), precincts: { ...asks, length: 123 } };
    e.networks = [
      ...e.networks,
      wide,
      ...['fd00:99::/64', 'fd00:99:0:9::/64', 'fd00:99::/80'].map((p, i) => network(`in-${i}`, 'machine', p, 900 + i) as Network),
    ];
    expect(precinctsLeft(e, wide).prefixes).toBe(2n ** 75n - 2n * 2n ** 59n);
  });
  it('lead to each other, whichever is asked: what is told of one is what was carved', () => {
    const e = room();
    const { precinct } = made(carve(e));
    const now = after(e);
    expect(precinctOf(now, charterOf(now))).toEqual(precinct);
    expect(precinctOf(e, charterOf(e))).toBeUndefined();
  });
});

describe('given back', () => {
  const same = (a: Estate, b: Estate) => {
    expect(a.networks).toEqual(b.networks);
    expect(a.gateways).toEqual(b.gateways);
  };
  it('a precinct leaves its gateway and its neighbours as they were', () => {
    const e = room();
    same(applyEdits(after(e), returnPrecinct(after(e), 'plover')), e);
  });
  it('it goes with its cluster: charter, addresses, held hosts and all', () => {
    const e = room();
    const now = after(e);
    const plan = resolve(charterOf(now), now);
    const held = plan.nodes[0]?.host;
    now.reservations = [...now.reservations, ...plan.reservations];
    now.hosts = now.hosts.map((h) =>
      h.name === held ? ({ ...h, state: 'held', held: { charter: 'plover', role: 'worker' } } as Host) : h,
    );
    now.charters = [
      ...now.charters,
      { ...charterOf(now), name: 'teal', machineNetwork: 'lr-machine', apart: ['plover'] } as Charter,
    ];
    const deletion = deletionOf(now, charterOf(now));
    if ('refused' in deletion) throw new Error(deletion.refused);
    const gone = applyEdits(now, deletion.edits);
    same(gone, e);
    expect(gone.charters.map((c) => [c.name, c.apart])).toEqual([['teal', []]]);
    expect(gone.reservations).toEqual(e.reservations);
    expect(gone.hosts.find((h) => h.name === held)).toMatchObject({ state: 'fit' });
    expect(gone.hosts.find((h) => h.name === held)?.held).toBeUndefined();
  });
  it('not while its hosts serve, nor before they are wiped', () => {
    const e = after(room());
    const plan = resolve(charterOf(e), e);
    const as = (state: Host['state'], more: object) => ({
      ...e,
      hosts: e.hosts.map((h) =>
        h.name === plan.nodes[0]?.host ? ({ ...h, state, held: { charter: 'plover', role: 'worker', ...more } } as Host) : h,
      ),
    });
    expect(deletionOf(as('serving', {}), charterOf(e))).toEqual({
      refused: '1 host serves plover.',
      remedy: 'Take the cluster down first.',
    });
    expect(deletionOf(as('held', { installed: 'plover 1' }), charterOf(e))).toEqual({
      refused: '1 host of plover is not wiped.',
      remedy: 'Give the hosts back first.',
    });
  });
});
