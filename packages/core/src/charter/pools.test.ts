import fc from 'fast-check';
import { parse } from 'yaml';
import { describe, expect, it } from 'vitest';
import { goodEstate, host, withAddon } from '../../test/estate.ts';
import { bootKit, clusterObjects, type KitContext, placeholder } from '../files/index.ts';
import { applyEdits, type Charter, type Estate, type Host, kinds } from '../model/index.ts';
import { type Plan, place, poolsOf, resolve, spreadOf } from './index.ts';
import { combinations, widest } from './spread.ts';
import { viewOf } from '../reading/index.ts';

type More = Partial<Charter>;
const charterWith = (more: More, e: Estate = goodEstate()) =>
  kinds.Charter.parse({ ...(e.charters[0] as Charter), ...more }) as Charter;
const planned = (more: More, e: Estate = goodEstate()): Plan => resolve(charterWith(more, e), e);
const inPool = (p: Plan, name: string) => p.nodes.filter((n) => n.pool === name).map((n) => n.host);
const kit = (plan: Plan, estate: Estate): KitContext => ({
  plan,
  estate,
  secret: placeholder('plover'),
  installation: 'build 1',
  bootUrl: (h) => `http://praesidor.example/boot/${h}`,
  reportUrl: (h) => `http://praesidor.example/report/${h}`,
});
const text = (ctx: KitContext, path: string) => bootKit(ctx).find((f) => f.path === path)?.content ?? '';

describe('pools of a charter', () => {
  it('are given hosts in their order, each by what it asks: 3 + 2 + 1 of six', () => {
    // lr-01 to lr-03 have 16 cores, the others 32: the archive takes one of the large ones, of zone B.
    const p = planned({ workers: { count: 2 }, pools: [{ name: 'archive', count: 1, minCores: 32, zones: ['B'] }] });
    expect(inPool(p, 'control-plane')).toEqual(['lr-01', 'lr-02', 'lr-03']);
    // lr-04 comes before them by name, and is the only one that the archive can have.
    expect(inPool(p, 'archive')).toEqual(['lr-04']);
    expect(inPool(p, 'workers')).toEqual(['lr-05', 'lr-06']);
    expect(p.problems).toEqual([]);
    expect(p.follows.map((f) => f.id)).toContain('pool archive');
  });
  it.each<[string, More, string]>([
    ['machines alone', { workers: { count: 1, from: 'guests' } }, 'it is a machine, a guest is asked'],
    ['guests of a mould', { workers: { count: 1, mould: 'node' } }, 'it is a machine, a guest of node is asked'],
    ['another zone', { workers: { count: 1, zones: ['Z'] } }, 'zone B: Z asked'],
    ['another architecture', { workers: { count: 1, arch: 'arm64' } }, 'it is x86-64, arm64 is asked'],
    ['more memory', { workers: { count: 1, minMemoryGiB: 512 } }, 'memory: 128 GiB, 512 GiB asked by the charter'],
    ['more of a fact', { workers: { count: 1, needs: [{ fact: 'nvme', atLeast: 3 }] } }, 'NVMe disks: 2, 3 asked by the charter'],
  ])('a pool that asks for %s says why each host is none', (_, more, why) => {
    const p = planned(more);
    expect(inPool(p, 'workers')).toEqual([]);
    expect(p.notChosen.find((n) => n.host === 'lr-04')?.why).toBe(why);
    expect(p.problems).toEqual([
      expect.objectContaining({ about: 'workers', path: ['workers', 'count'], named: 'workers', found: 0, wanted: 1 }),
    ]);
  });
  it('start the operating system that they name, the first of the release otherwise; guests start none of it', () => {
    const e = goodEstate();
    (e.releases[0] as Estate['releases'][number]).components.push({
      name: 'next',
      image: 'images.upstream.example/core/next:1.34.2',
      on: 'boot',
    });
    e.hosts = e.hosts.map((h) => (h.name === 'lr-06' ? { ...h, guest: { mould: 'node', hypervisor: 'hv-1', pools: [] } } : h));
    const p = planned({ workers: { count: 2, hosts: ['lr-05', 'lr-06'], system: 'next' } }, e);
    expect(p.nodes.map((n) => [n.host, n.system])).toEqual([
      ['lr-01', 'system'],
      ['lr-02', 'system'],
      ['lr-03', 'system'],
      ['lr-05', 'next'],
      ['lr-06', undefined],
    ]);
    const line = p.follows.find((f) => f.id === 'systems');
    expect(line?.text).toBe('system on 3 machines, next on 1 machine');
    expect(line?.why.map((w) => w.field?.join('.'))).toEqual(['controlPlane.system', 'workers.system']);
    // Where there is no choice, nothing is said of it.
    expect(planned({}).follows.some((f) => f.id === 'systems')).toBe(false);
  });
  it('a host that one pool names is taken by no other, whichever comes first', () => {
    const p = planned({ workers: { count: 2 }, pools: [{ name: 'archive', count: 1, hosts: ['lr-06'] }] });
    expect([inPool(p, 'archive'), inPool(p, 'workers')]).toEqual([['lr-06'], ['lr-04', 'lr-05']]);
  });
  it('a host that is held for a pool stays in it, and in no other of the same charter', () => {
    const held = (pool?: string): Host['held'] => ({
      charter: 'plover',
      role: 'worker',
      ...(pool ? { pool } : {}),
    });
    const e = goodEstate();
    e.hosts = e.hosts.map((h) =>
      h.name === 'lr-05'
        ? { ...h, state: 'held', held: held('archive') }
        : h.name === 'lr-06'
          ? { ...h, state: 'held', held: held() }
          : h,
    );
    const p = planned({ workers: { count: 2 }, pools: [{ name: 'archive', count: 1 }] }, e);
    expect(inPool(p, 'archive')).toEqual(['lr-05']);
    expect(inPool(p, 'workers')).toContain('lr-06');
    expect(p.nodes.find((n) => n.host === 'lr-05')?.kept).toBe(true);
  });
  it('have names of their own', () => {
    const faults = (pools: object[]) =>
      kinds.Charter.safeParse({ ...(goodEstate().charters[0] as Charter), pools }).error?.issues.map((i) => i.message);
    expect(faults([{ name: 'workers', count: 1 }])).toEqual(['workers is what the first pool is called']);
    expect(
      faults([
        { name: 'a', count: 1 },
        { name: 'a', count: 1 },
      ]),
    ).toEqual(['a is another pool']);
    expect(
      faults([
        { name: 'a', count: 1 },
        { name: 'b', count: 1 },
      ]),
    ).toBeUndefined();
  });
  it('mark their nodes: labels and taints as the API has them, and what a pool is kept for', () => {
    const e = withAddon(goodEstate(), 'inbound-router');
    const plan = planned(
      {
        workers: { count: 1, labels: ['disk=fast'] },
        pools: [{ name: 'gate', count: 2, roles: ['inbound'], taints: ['use=gate:NoSchedule', 'rare:NoExecute'] }],
      },
      e,
    );
    const ctx = kit(plan, e);
    const [gate] = inPool(plan, 'gate');
    const env = text(ctx, `hosts/${gate}/root/etc/kubernetes/kubelet.env`);
    expect(env).toContain('praesidor/pool=gate,praesidor/inbound=yes');
    expect(text(ctx, `hosts/${inPool(plan, 'workers')[0]}/root/etc/kubernetes/kubelet.env`)).toContain(
      'praesidor/pool=workers,disk=fast',
    );
    const config = parse(text(ctx, `hosts/${gate}/root/etc/kubernetes/kubelet.yaml`)) as { registerWithTaints: object[] };
    expect(config.registerWithTaints).toEqual([
      { key: 'use', value: 'gate', effect: 'NoSchedule' },
      { key: 'rare', effect: 'NoExecute' },
    ]);
    // The inbound address moves between those two alone, and the router's pods go there, past the taints.
    const moves = (h: string) => text(ctx, `hosts/${h}/root/etc/keepalived/keepalived.conf`).includes('vrrp_instance inbound');
    expect(plan.nodes.filter((n) => moves(n.host)).map((n) => n.pool)).toEqual(['gate', 'gate']);
    const router = clusterObjects(ctx)
      .flatMap((s) => s.objects)
      .find((o) => o.kind === 'Deployment' && o.metadata.name === 'inbound-router') as never as {
      spec: { template: { spec: object } };
    };
    expect(router.spec.template.spec).toMatchObject({
      nodeSelector: { 'praesidor/inbound': 'yes' },
      tolerations: [
        { key: 'use', value: 'gate', effect: 'NoSchedule', operator: 'Equal' },
        { key: 'rare', effect: 'NoExecute', operator: 'Exists' },
      ],
    });
  });
});

describe('nodes from an address that is set', () => {
  it('have as many in a row from there', () => {
    const p = planned({ nodesFrom: '10.62.8.40' });
    expect(p.nodes.map((n) => n.address).sort()).toEqual([40, 41, 42, 43, 44, 45].map((n) => `10.62.8.${n}`));
    expect(p.inARow).toBe(true);
  });
  it('have none where one of the row is taken, and it is said which', () => {
    const e = applyEdits(goodEstate(), [
      {
        op: 'put',
        doc: kinds.Reservation.parse({
          kind: 'Reservation',
          address: '10.62.8.43',
          network: 'lr-machine',
          owner: { kind: 'hand', name: 'desk' },
        }),
      },
    ]);
    const p = planned({ nodesFrom: '10.62.8.40' }, e);
    expect(p.problems).toEqual([
      {
        about: 'addresses',
        path: ['nodesFrom'],
        text: '6 addresses in a row from 10.62.8.40 are not free: 10.62.8.43 is taken, or outside lr-machine',
      },
    ]);
    expect(p.nodes.map((n) => n.address)).toEqual(['', '', '', '', '', '']);
  });
});

/** Hosts of any zone, rack, feed and size, all of them fit. */
const stands = fc.array(
  fc.record({
    zone: fc.constantFrom('A', 'B', 'C'),
    rack: fc.constantFrom('R1', 'R2', 'R3'),
    feed: fc.constantFrom('A', 'B', undefined),
    cores: fc.constantFrom(16, 32, 64),
  }),
  { minLength: 3, maxLength: 9 },
);
type Stand = Partial<Host> & { cores?: number };
const placed = (list: readonly Stand[]) =>
  list.map(({ cores, ...where }, i) => {
    const base = host(i + 1);
    return {
      ...base,
      ...where,
      facts: { ...(base.facts as NonNullable<Host['facts']>), cores: cores ?? 32, memoryGiB: 128 },
    } as Host;
  });

describe('pools that compete for hosts', () => {
  it('leave the large ones to who needs both of them, where a third is moved for it', () => {
    const e = goodEstate();
    e.hosts = placed([64, 32, 16, 16, 16, 64].map((cores) => ({ zone: 'A', rack: 'R1', feed: 'A', cores })));
    const charter = charterWith({
      controlPlane: { count: 1 },
      workers: { count: 1, minCores: 32 },
      pools: [
        { name: 'any', count: 2 },
        { name: 'large', count: 2, minCores: 64 },
      ],
    });
    const { chosen, short } = place(charter, viewOf(e));
    // One with 32 cores for the workers, both with 64 for the large ones; the three with 16 are left.
    expect(chosen.map((c) => `${c.pool} ${c.host.facts?.cores}`).sort()).toEqual([
      'any 16',
      'any 16',
      'control-plane 16',
      'large 64',
      'large 64',
      'workers 32',
    ]);
    expect(short).toEqual([]);
  });
  it('are filled as far as they can be, whoever comes first: property', () => {
    const pool = fc.record({
      count: fc.integer({ min: 0, max: 3 }),
      zones: fc.option(fc.subarray(['A', 'B', 'C'], { minLength: 1 }), { nil: undefined }),
      minCores: fc.constantFrom(0, 32, 64),
    });
    fc.assert(
      fc.property(stands, pool, fc.array(pool, { maxLength: 3 }), (list, workers, more) => {
        const e = goodEstate();
        e.hosts = placed(list);
        const charter = charterWith({
          controlPlane: { count: 1 },
          workers,
          pools: more.map((p, i) => ({ ...p, name: `p${i}` })),
        });
        const { chosen } = place(charter, viewOf(e));
        expect(new Set(chosen.map((c) => c.host.name)).size).toBe(chosen.length);
        // The most there is, by trying every way of giving each host to a pool or to none.
        const asked = poolsOf(charter);
        const can = (h: Host, p: (typeof asked)[number]) =>
          (!p.zones || p.zones.includes(h.zone ?? '')) && (h.facts?.cores ?? 0) >= p.minCores;
        const seen = new Map<string, number>();
        const most = (i: number, left: readonly number[]): number => {
          const h = e.hosts[i];
          if (!h) return 0;
          const key = `${i} ${left.join()}`;
          const known = seen.get(key);
          if (known !== undefined) return known;
          let best = most(i + 1, left);
          asked.forEach((p, k) => {
            if ((left[k] ?? 0) > 0 && can(h, p))
              best = Math.max(
                best,
                1 +
                  most(
                    i + 1,
                    left.map((n, j) => (j === k ? n - 1 : n)),
                  ),
              );
          });
          seen.set(key, best);
          return best;
        };
        expect(chosen.length).toBe(
          most(
            0,
            asked.map((p) => p.count),
          ),
        );
      }),
      { numRuns: 150 },
    );
  });
});

describe('the spread of a control plane', () => {
  it('looks at all together where the first would stand in the way of the last', () => {
    // One after the other takes lr-01 (A, R1, the smallest), then lr-02 of zone B in the same rack, and has one rack.
    // Together: lr-03 of zone A in R2, and lr-02: two zones and two racks.
    const e = goodEstate();
    e.hosts = placed([
      { zone: 'A', rack: 'R1', cores: 16 },
      { zone: 'B', rack: 'R1', cores: 16 },
      { zone: 'A', rack: 'R2', cores: 64 },
    ]);
    const p = place(charterWith({ controlPlane: { count: 2 }, workers: { count: 0 } }), viewOf(e));
    expect(p.chosen.map((c) => c.host.name).sort()).toEqual(['lr-02', 'lr-03']);
    expect(p.spread.map((s) => [s.domain, s.used, s.atMost])).toEqual([
      ['zone', 2, 2],
      ['rack', 2, 2],
      ['feed', 1, 1],
    ]);
  });
  it('is the best there is of zones, then racks, then feeds, whatever stands where: property', () => {
    fc.assert(
      fc.property(stands, fc.constantFrom(1, 2, 3), (list, count) => {
        const e = goodEstate();
        e.hosts = placed(list);
        const { chosen, spread } = place(charterWith({ controlPlane: { count }, workers: { count: 0 } }), viewOf(e));
        expect(chosen).toHaveLength(count);
        // Every choice there is, by hand.
        const pick = (from: Host[], k: number): Host[][] =>
          k === 0 ? [[]] : from.flatMap((h, i) => pick(from.slice(i + 1), k - 1).map((rest) => [h, ...rest]));
        const score = (hosts: Host[]) => spreadOf(hosts, e.hosts).map((s) => s.used);
        const best = pick(e.hosts, count)
          .map(score)
          .sort(
            (a, b) =>
              (b[0] as number) - (a[0] as number) || (b[1] as number) - (a[1] as number) || (b[2] as number) - (a[2] as number),
          )[0];
        expect(spread.map((s) => s.used)).toEqual(best);
        for (const s of spread) expect(s.used).toBeLessThanOrEqual(s.atMost);
      }),
      { numRuns: 150 },
    );
  });
  it('is not looked for among more combinations than can be looked at: 40 over 5 are 658,008', () => {
    expect([combinations(6, 3), combinations(40, 5)]).toEqual([20, 658_008]);
    expect(widest(placed(Array.from({ length: 40 }, () => ({ zone: 'A' }))), 5, [], () => 1)).toBeUndefined();
  });
});

it('pools of a charter as one list, whatever it has', () => {
  const pools = poolsOf(charterWith({ pools: [{ name: 'archive', count: 4, arch: 'arm64', taints: ['a:NoSchedule'] }] }));
  expect(pools.map((p) => [p.name, p.role, p.path, p.count, p.arch])).toEqual([
    ['control-plane', 'control-plane', ['controlPlane'], 3, 'x86-64'],
    ['workers', 'worker', ['workers'], 3, 'x86-64'],
    ['archive', 'worker', ['pools', 0], 4, 'arm64'],
  ]);
});
