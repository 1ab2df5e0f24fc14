import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import { applyEdits, type Doc, type Edit, type Estate, type Host, kinds } from '../model/index.ts';
import { viewOf } from '../reading/index.ts';
import {
  circlesAt,
  coldStartOf,
  groupsOf,
  inOrder,
  inStopOrder,
  longestWay,
  needsText,
  startSteps,
  stopSteps,
  switchedBy,
  waitsText,
} from './index.ts';
import type { Need, Part } from './part.ts';

const part = (id: string, takes: number, needs: Partial<Need>[] = [], stops = 0): Part => ({
  id,
  kind: 'device',
  title: id,
  takes,
  stops,
  declared: true,
  needs: needs.map((n) => ({ any: [], of: 1, why: `it needs ${n.any?.join()}`, ...n })),
});
const ordered = (...parts: Part[]) => inOrder(new Map(parts.map((p) => [p.id, p])));
const times = (all: ReturnType<typeof inOrder>) => Object.fromEntries(all.parts.map((p) => [p.id, [p.begins, p.up]]));

describe('in order', () => {
  it('a part begins when the last of its needs is met, and waits for that one', () => {
    const all = ordered(part('a', 10), part('b', 25), part('c', 5, [{ any: ['a'] }, { any: ['b'] }]));
    // a 0…10, b 0…25, c 25…30.
    expect(times(all)).toEqual({ a: [0, 10], b: [0, 25], c: [25, 30] });
    expect([all.parts.at(-1)?.waits, all.total]).toEqual([['b'], 30]);
  });
  it('of several that will do, the quickest counts; of a majority, the one that makes it', () => {
    const members = [part('a', 10), part('b', 20), part('c', 30)];
    const all = ordered(
      ...members,
      part('one', 1, [{ any: ['a', 'b', 'c'] }]),
      part('two', 1, [{ any: ['a', 'b', 'c'], of: 2 }]),
    );
    expect([times(all).one, times(all).two]).toEqual([
      [10, 11],
      [20, 21],
    ]);
  });
  it('a planned stop goes backwards: what started on something stops before it', () => {
    const all = ordered(
      part('power', 0),
      part('host', 300, [{ any: ['power'] }], 120),
      part('work', 10, [{ any: ['host'] }], 30),
    );
    // work 0…30, host 30…150, power at 150.
    expect(inStopOrder(all).map((p) => [p.id, p.stopBegins, p.stopped])).toEqual([
      ['work', 0, 30],
      ['host', 30, 150],
      ['power', 150, 150],
    ]);
    expect(all.stopTotal).toBe(150);
  });
  it('who would have done with another is waited for as well, unless it is needed by that one itself', () => {
    const all = ordered(
      part('near', 10),
      part('far', 50, [], 4),
      part('dns', 0, [{ any: ['near', 'far'] }], 3),
      part('last', 5, [{ any: ['dns'] }], 2),
      part('odd', 1, [{ any: ['near', 'last'] }], 6),
    );
    // far came after dns had started, and stops after it all the same: last 0…2, dns 2…5, far from 5 on. odd stops before last does.
    expect(Object.fromEntries(all.parts.map((p) => [p.id, p.stopBegins]))).toEqual({
      odd: 0,
      last: 6,
      dns: 8,
      far: 11,
      near: 11,
    });
  });
  it('parts that take no time stop in their order all the same', () => {
    const all = ordered(part('a', 0, [], 7), part('b', 0, [{ any: ['a'] }], 5), part('c', 0, [{ any: ['b'] }], 3));
    expect(inStopOrder(all).map((p) => [p.id, p.stopped])).toEqual([
      ['c', 3],
      ['b', 8],
      ['a', 15],
    ]);
  });
  it('a circle is told with who waits for whom, and what comes after it is told too', () => {
    const all = ordered(
      part('x', 1),
      part('dns', 2, [{ any: ['cluster'] }, { any: ['x'] }]),
      part('cluster', 4, [{ any: ['dns'] }]),
      part('after', 8, [{ any: ['cluster'] }]),
    );
    expect(all.circles.map((c) => [c.parts.map((p) => p.title), c.unless, c.mend])).toEqual([
      [['cluster', 'dns'], undefined, undefined],
    ]);
    // Broken at DNS, which is the last of it and waits for x alone then: 1…3, the cluster 3…7.
    expect(times(all)).toMatchObject({ dns: [1, 3], cluster: [3, 7], after: [7, 15] });
  });
  it('a condition breaks a circle before a change is thought of', () => {
    const all = ordered(
      part('a', 1, [{ any: ['b'], mends: () => [{ label: 'take c', edits: [], any: () => ['c'] }] }]),
      part('b', 1, [{ any: ['a'], unless: 'it has what it needs' }]),
      part('c', 1),
    );
    expect(all.circles[0]).toMatchObject({ unless: 'it has what it needs', at: 'b', mend: { label: 'take c' } });
    expect(all.parts.find((p) => p.id === 'b')?.without).toHaveLength(1);
  });
  it('a change counts that leads out of the circle, and none that leads back into it', () => {
    const mends = () => ['d', 'c'].map((id) => ({ label: `take ${id}`, edits: [], any: () => [id] }));
    const all = ordered(
      part('a', 1, [{ any: ['b'], mends }]),
      part('b', 1, [{ any: ['a'] }]),
      part('c', 1),
      part('d', 1, [{ any: ['b'] }]),
    );
    expect(all.circles.map((c) => c.mend?.label)).toEqual(['take c']);
  });
  it('two circles are two, and one within another ends as well', () => {
    const two = ordered(
      part('a', 1, [{ any: ['b'] }]),
      part('b', 1, [{ any: ['a'] }]),
      part('c', 1, [{ any: ['d'] }]),
      part('d', 1, [{ any: ['c'] }, { any: ['a'] }]),
      part('e', 1, [{ any: ['e'] }]),
    );
    expect(two.circles.map((c) => c.parts.map((p) => p.title).join())).toEqual(['a,b', 'c,d', 'e']);
    expect(two.parts.every((p) => p.up > 0)).toBe(true);
  });

  const graph = (forward: boolean) =>
    fc.integer({ min: 1, max: 12 }).chain((n) =>
      fc
        .array(
          fc.record({
            takes: fc.integer({ min: 0, max: 9 }),
            stops: fc.integer({ min: 0, max: 9 }),
            needs: fc.array(
              fc.record({
                any: fc.uniqueArray(fc.nat(n - 1), { minLength: 1, maxLength: 3 }),
                of: fc.integer({ min: 1, max: 3 }),
              }),
              {
                maxLength: 3,
              },
            ),
          }),
          { minLength: n, maxLength: n },
        )
        .map((list) =>
          list.map((p, i) =>
            part(
              `p${i}`,
              p.takes,
              p.needs.flatMap((need) => {
                const any = need.any.filter((m) => !forward || m < i).map((m) => `p${m}`);
                return any.length ? [{ any, of: Math.min(need.of, any.length) }] : [];
              }),
              p.stops,
            ),
          ),
        ),
    );
  it('without a circle, every part begins exactly when its needs are met, and nobody stops before who started on it', () => {
    fc.assert(
      fc.property(graph(true), (parts) => {
        const all = ordered(...parts);
        const row = new Map(all.parts.map((p) => [p.id, p]));
        const up = (id: string) => row.get(id)?.up ?? 0;
        expect(all.circles).toEqual([]);
        for (const p of parts) {
          const met = p.needs.map((n) => n.any.map(up).sort((a, b) => a - b)[n.of - 1] ?? 0);
          expect(row.get(p.id)?.begins).toBe(Math.max(0, ...met));
          for (const n of p.needs)
            for (const m of n.any) expect(row.get(m)?.stopBegins).toBeGreaterThanOrEqual(row.get(p.id)?.stopped ?? 0);
        }
      }),
    );
  });
  it('with circles it ends; each is one, and all that is not waited for stands in one', () => {
    fc.assert(
      fc.property(graph(false), (parts) => {
        const all = ordered(...parts);
        const needs = new Map(parts.map((p) => [p.id, p.needs]));
        for (const c of all.circles)
          for (const [i, p] of c.parts.entries()) {
            const next = c.parts[(i + 1) % c.parts.length]?.id ?? '';
            expect(needs.get(p.id)?.some((n) => n.any.includes(next))).toBe(true);
          }
        expect(
          all.parts
            .filter((p) => p.without.length)
            .map((p) => p.id)
            .sort(),
        ).toEqual([...new Set(all.circles.map((c) => c.at))].sort());
        for (const p of all.parts) expect(p.up).toBe(p.begins + p.takes);
      }),
    );
  });
});

describe('steps', () => {
  const of = (kind: Part['kind'], name: string, takes: number, needs: Partial<Need>[] = [], stops = 0): Part => ({
    ...part(`${kind} ${name}`, takes, needs, stops),
    kind,
  });
  const all = ordered(
    of('power', 'p', 0),
    of('switch', 's', 180, [{ any: ['power p'] }]),
    of('host', 'dns-1', 100, [{ any: ['switch s'] }], 20),
    of('names', 'here', 0, [{ any: ['host dns-1'] }]),
    of('host', 'm1', 200, [{ any: ['switch s'] }], 20),
    of('host', 'm2', 250, [{ any: ['switch s'] }], 20),
    of('host', 'm3', 300, [{ any: ['switch s'] }], 20),
    of('host', 'w1', 300, [{ any: ['switch s'] }], 20),
    of('control-plane', 'c', 60, [{ any: ['host m1', 'host m2', 'host m3'], of: 2 }, { any: ['names here'] }], 10),
    of('nodes', 'c', 30, [{ any: ['control-plane c'] }, { any: ['host w1'] }]),
    of('storage', 'c kept', 10, [{ any: ['nodes c'] }]),
    of('work', 'c default/archive', 10, [{ any: ['storage c kept'] }], 30),
  );
  const after = (steps: ReturnType<typeof startSteps>['steps']) =>
    Object.fromEntries(steps.map((s) => [s.id, [...s.after].sort()]));
  it('to start: hosts at once as far as is known here, and what answers after what it stands on, of several the quickest', () => {
    const { steps, byHand } = startSteps(all, 'lr', (h) => (h === 'dns-1' ? 'by hand' : 'here'));
    expect(after(steps)).toEqual({
      'on/host m1': [],
      'on/host m2': [],
      'on/host m3': [],
      'on/host w1': [],
      // Nobody here switches the host that it runs on.
      'answers/names here': [],
      // Two of three: those that are up after 380 and 430 s, not the third.
      'answers/control-plane c': ['answers/names here', 'on/host m1', 'on/host m2'],
      'answers/nodes c': ['answers/control-plane c', 'on/host w1'],
    });
    expect(byHand.sort()).toEqual(['host dns-1', 'power p', 'switch s']);
    // What is switched is a host; what is waited for takes as long as it was said to.
    expect(
      steps.map((s) => [s.id, s.host, s.p50]).filter(([id]) => String(id).includes('m1') || String(id).includes('nodes')),
    ).toEqual([
      ['on/host m1', 'm1', 5],
      ['answers/nodes c', undefined, 30],
    ]);
  });
  it('to stop: hosts in turns, what others need last', () => {
    const { steps, byHand } = stopSteps(all, 'lr', () => 'here');
    // Work takes 30 s, then the worker; the control plane 10 s more, then its members, and what they ask for names.
    expect(after(steps)).toEqual({
      'off/host w1': [],
      'off/host m1': ['off/host w1'],
      'off/host m2': ['off/host w1'],
      'off/host m3': ['off/host w1'],
      'off/host dns-1': ['off/host w1'],
    });
    expect(byHand).toEqual(['power p', 'switch s']);
  });
  it('are of hosts that serve: what is only planned is left as it is, and what has no controller is for the room', () => {
    const [a, ...rest] = goodEstate().hosts;
    const serving = (more: object) => [{ ...a, state: 'serving', name: 'x', ...more } as Host, ...rest];
    const bmc = { address: '10.62.7.11', fingerprint: 'ab', credential: 'bmc' };
    const by = (more: object, name = 'x') => switchedBy(serving(more))(name);
    expect([by({ bmc }), by({ bmc: undefined }), by({ bmc, state: 'held' }), by({}, 'unknown')]).toEqual([
      'here',
      'by hand',
      'not',
      'by hand',
    ]);
    const { steps, byHand } = startSteps(all, 'lr', (h) => (h === 'w1' ? 'not' : 'here'));
    expect([steps.map((s) => s.host).filter((h) => h === 'w1'), byHand]).toEqual([[], ['power p', 'switch s']]);
  });
  it('of a real site name steps that are there, each after others alone', () => {
    const e = coldStartOf(goodEstate(), 'lr');
    if (!e) throw new Error('no site');
    for (const { steps } of [startSteps(e, 'lr', () => 'here'), stopSteps(e, 'lr', () => 'here')]) {
      const ids = steps.map((s) => s.id);
      expect(new Set(ids).size).toBe(ids.length);
      for (const s of steps) for (const a of s.after) expect(ids).toContain(a);
      expect(steps.filter((s) => s.host).length).toBeGreaterThan(5);
    }
  });
});

describe('the drawing', () => {
  const drawn = (...parts: Part[]) => groupsOf(ordered(...parts)).map((g) => [g.members.join('+'), g.after.join(), g.longest]);
  it('puts together what is alike, also over others', () => {
    const guests = ['1', '2', '3'].flatMap((k) => [
      part(`hv${k}`, 5, [{ any: ['power'] }]),
      part(`g${k}`, 1, [{ any: [`hv${k}`] }]),
    ]);
    expect(drawn(part('power', 0), ...guests, part('cluster', 2, [{ any: ['g1', 'g2', 'g3'], of: 2 }]))).toEqual([
      ['power', '', true],
      ['hv1+hv2+hv3', 'power', true],
      ['g1+g2+g3', 'hv1', true],
      ['cluster', 'g1', true],
    ]);
  });
  it('keeps apart what somebody else needs, or needs something else', () => {
    const hosts = ['a', 'b', 'c', 'd'].map((k) =>
      part(k, 5, k === 'd' ? [{ any: ['power'] }, { any: ['dns'] }] : [{ any: ['power'] }]),
    );
    expect(drawn(part('power', 0), part('dns', 1), ...hosts, part('one', 2, [{ any: ['a'] }])).map((g) => g[0])).toEqual([
      'power',
      'dns',
      'a',
      'b+c',
      'd',
      'one',
    ]);
  });
  it('leaves out an arrow that others lead round already', () => {
    // c waits for b and for a, and b for a: one arrow from b is enough.
    expect(drawn(part('a', 1), part('b', 1, [{ any: ['a'] }]), part('c', 1, [{ any: ['a'] }, { any: ['b'] }]))).toEqual([
      ['a', '', true],
      ['b', 'a', true],
      ['c', 'b', true],
    ]);
  });
  it('the longest way goes back from what is up last to whom each waited for', () => {
    const all = ordered(
      part('a', 9),
      part('b', 1),
      part('c', 5, [{ any: ['a'] }, { any: ['b'] }]),
      part('d', 3, [{ any: ['b'] }]),
    );
    expect([...longestWay(all)]).toEqual(['c', 'a']);
  });
  it('names what a box stands for', () => {
    const all = coldStartOf(goodEstate(), 'lr');
    expect(all && groupsOf(all).map((g) => `${g.title}, ${g.charter ?? 'all'}, ${g.up}`)).toEqual([
      'Power, all, 0',
      'Switches, all, 180',
      '10.62.8.54, ns1, all, 300',
      '10.62.8.60, all, 300',
      'Registry lr-registry, all, 300',
      '3 hosts, plover, 480',
      '3 hosts, plover, 480',
      'DNS, all, 300',
      'Time, all, 300',
      'Control plane, plover, 540',
      'Nodes, plover, 570',
      'Service addresses, plover, 575',
    ]);
  });
});

const edited = (e: Estate, ...edits: Edit[]) => applyEdits(e, edits);
const put = (e: Estate, doc: object) =>
  edited(e, {
    op: 'put',
    doc: (kinds as never as Record<string, { parse: (d: object) => Doc }>)[(doc as Doc).kind]?.parse(doc) as Doc,
  });
const rowsOf = (e: Estate, site = 'lr') => {
  const all = coldStartOf(e, site);
  if (!all) throw new Error('no such site');
  return { all, of: (id: string) => all.parts.find((p) => p.id === id) };
};

describe('a site after a loss of all power', () => {
  it('starts from the switches to the services, in times that can be added up', () => {
    const { all, of } = rowsOf(goodEstate());
    const at = (id: string) => [of(id)?.begins, of(id)?.up];
    // Power 0, switches 180 s, then machines: hosts 300 s, others 120 s.
    expect([at('power lr'), at('switch lr'), at('host lr-01')]).toEqual([
      [0, 0],
      [0, 180],
      [180, 480],
    ]);
    // DNS and time are there with the first of their machines: 180 + 120.
    expect([at('names lr'), at('time lr'), at('registry lr-registry')]).toEqual([
      [300, 300],
      [300, 300],
      [180, 300],
    ]);
    // Control plane 480 + 60, nodes + 30, service addresses + 5.
    expect([at('control-plane plover'), at('nodes plover'), at('services plover')]).toEqual([
      [480, 540],
      [540, 570],
      [570, 575],
    ]);
    expect([all.total, all.circles]).toEqual([575, []]);
    const nodes = of('nodes plover');
    expect(nodes && waitsText(all, nodes)).toBe('Control plane of plover');
    const control = of('control-plane plover');
    expect(control && needsText(all, control)).toEqual([
      '2 of lr-01, lr-02, lr-03: etcd wants 2 of 3 members',
      'Time: certificates and etcd want clocks that agree',
    ]);
    expect(coldStartOf(goodEstate(), 'nowhere')).toBeUndefined();
    // Hosts that take 8 minutes here put everything off by 3; they are not assumed any more.
    const slow = rowsOf(edited(goodEstate(), { op: 'set', kind: 'Site', key: 'lr', path: ['starts'], value: { host: 480 } }));
    expect([slow.all.total, slow.of('host lr-01')?.declared, slow.of('switch lr')?.declared]).toEqual([755, true, false]);
  });
  it('a host waits for its feed and for the switch that it was seen at', () => {
    const e = goodEstate();
    const seen = host(1, { feed: 'A' });
    const nic = seen.facts?.nics[0];
    if (nic) nic.neighbour = { name: 'sw-7', port: '12' };
    const { of } = rowsOf(put(e, seen));
    expect(of('host lr-01')?.needs.map((n) => n.any)).toEqual([['power A'], ['switch sw-7']]);
    // Where feeds are named, whoever names none has any of them.
    expect(of('host lr-02')?.needs.map((n) => n.any)).toEqual([['power A'], ['switch lr']]);
  });
  it('work waits for its volumes, and volumes for as many hosts as have a copy of everything among them', () => {
    const e = edited(
      goodEstate(),
      {
        op: 'set',
        kind: 'Charter',
        key: 'plover',
        path: ['storage'],
        value: [{ name: 'kept', kind: 'copies', copies: 2, standard: true, attach: 20 }],
      },
      {
        op: 'set',
        kind: 'Charter',
        key: 'plover',
        path: ['workloads'],
        value: [{ name: 'archive', kind: 'StatefulSet', ready: 40, replicas: 1, volumes: [{ name: 'data', sizeGB: 10 }] }],
      },
    );
    const read = kinds.Charter.parse(e.charters[0]);
    const { of, all } = rowsOf({ ...e, charters: [read] });
    // Of 3 hosts with 2 copies any 2 have one: 3 − 2 + 1. Nodes at 570, attached after 20 s, ready after 40 s.
    expect(of('storage plover kept')?.needs.find((n) => n.of === 2)?.any).toEqual(['host lr-04', 'host lr-05', 'host lr-06']);
    expect(of('work plover default/archive')).toMatchObject({ begins: 590, up: 630, takes: 40, declared: true });
    expect(all.parts.filter((p) => p.declared).map((p) => p.id)).toEqual(['storage plover kept', 'work plover default/archive']);
  });
  const dnsInCluster = () =>
    edited(goodEstate(), { op: 'set', kind: 'Site', key: 'lr', path: ['resolvers'], value: ['10.62.8.64'] });
  it('names that the cluster itself publishes are a circle, and another resolver breaks it', () => {
    const e = dnsInCluster();
    const { all } = rowsOf(e);
    expect(all.circles.map((c) => c.parts.map((p) => p.title))).toEqual([
      ['DNS', 'Service addresses of plover', 'Nodes of plover'],
    ]);
    expect(all.circles[0]?.unless).toBeUndefined();
    expect(all.circles[0]?.mend?.label).toBe('Ask names also of 10.62.8.53');
    const after = edited(e, ...(all.circles[0]?.mend?.edits ?? []));
    expect(rowsOf(after).all.circles).toEqual([]);
    // What was only tried leaves nothing behind.
    expect(all.parts.map((p) => p.id)).not.toContain('device ns1.lr.kestrelferries.example');
  });
  it('a name server that is a guest of a hypervisor which is asked by name starts on a condition', () => {
    let e = put(goodEstate(), {
      ...{ kind: 'Hypervisor', name: 'lr-hv', site: 'lr', endpoint: 'hv.lr.kestrelferries.example:443', credential: 'bmc-lr' },
      ...{ cores: 16, memoryGiB: 64, pools: [{ name: 'p', media: 'ssd', sizeGB: 500 }] },
    });
    const reserved = (address: string, more: object) => put(e, { kind: 'Reservation', address, network: 'lr-machine', ...more });
    e = reserved('10.62.8.70', { name: 'hv.lr.kestrelferries.example', owner: { kind: 'hand', name: 'desk' } });
    e = put(e, host(9, { name: 'lr-dns', guest: { mould: 'm', hypervisor: 'lr-hv', pools: [] } }));
    e = reserved('10.62.8.71', { owner: { kind: 'host', name: 'lr-dns' } });
    e = edited(e, { op: 'set', kind: 'Site', key: 'lr', path: ['resolvers'], value: ['10.62.8.71'] });
    const { all, of } = rowsOf(e);
    expect(all.circles[0]).toMatchObject({
      unless: 'lr-hv starts its guests by itself',
      mend: { label: 'Ask lr-hv by its address 10.62.8.70' },
    });
    // 180 + 300 for the hypervisor, 60 for the guest.
    expect([of('hypervisor lr-hv')?.up, of('host lr-dns')?.up]).toEqual([480, 540]);
    const after = edited(e, ...(all.circles[0]?.mend?.edits ?? []));
    expect(after.hypervisors[0]?.endpoint).toBe('10.62.8.70:443');
    expect(rowsOf(after).all.circles).toEqual([]);
  });
  it('another site is taken to be up: what is waited for is the way there', () => {
    let e = put(goodEstate(), {
      kind: 'Site',
      name: 'bw',
      title: 'Breakwater Hall',
      form: 'hall',
      reach: 'open',
      domain: 'bw.kestrelferries.example',
    });
    e = put(e, { kind: 'Network', name: 'bw-up', site: 'bw', purpose: 'uplink', prefix: '10.40.0.0/24' });
    e = edited(e, { op: 'set', kind: 'Site', key: 'lr', path: ['ntp'], value: ['10.40.0.60'] });
    const { of } = rowsOf(e);
    // No gateway is declared: a machine at a switch, 180 s, and 60 s for the link.
    expect([of('link bw')?.title, of('time lr')?.begins]).toEqual(['Link to Breakwater Hall', 240]);
  });
  it('is told by the ledger who answers at an address: a node, the API, another site', () => {
    const asks = (owner: object, network = 'lr-machine') => {
      let e = put(goodEstate(), {
        kind: 'Site',
        name: 'bw',
        title: 'Breakwater Hall',
        form: 'hall',
        reach: 'open',
        domain: 'bw.kestrelferries.example',
      });
      e = put(e, { kind: 'Network', name: 'bw-up', site: 'bw', purpose: 'uplink', prefix: '10.40.0.0/24' });
      e = put(e, { kind: 'Reservation', address: '10.62.8.90', network, owner });
      e = edited(e, { op: 'set', kind: 'Site', key: 'lr', path: ['ntp'], value: ['10.62.8.90'] });
      return rowsOf(e).of('time lr');
    };
    const needed = (owner: object, network?: string) => {
      const row = asks(owner, network);
      return [...(row?.needs ?? []), ...(row?.without ?? [])].flatMap((n) => n.any);
    };
    expect(needed({ kind: 'charter', name: 'plover', use: 'node lr-05' })).toEqual(['host lr-05']);
    expect(needed({ kind: 'charter', name: 'plover', use: 'api' })).toEqual(['control-plane plover']);
    expect(needed({ kind: 'charter', name: 'plover', use: 'service a/b' })).toEqual(['services plover']);
    expect(needed({ kind: 'host', name: 'lr-06' })).toEqual(['host lr-06']);
    expect(needed({ kind: 'registry', name: 'lr-registry' })).toEqual(['registry lr-registry']);
    expect(needed({ kind: 'hand', name: 'desk' }, 'bw-up')).toEqual(['link bw']);
  });
  it.each([
    ['nothing wrong', goodEstate()],
    ['names in the cluster', dnsInCluster()],
  ])('circles alone are those of the whole: %s', (_, e) => {
    expect(circlesAt(viewOf(e), 'lr')).toEqual(rowsOf(e).all.circles);
  });
});
