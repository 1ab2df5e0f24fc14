import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { demoEstate } from '../../../../bench/demo-estate.ts';
import {
  applyEdits,
  type Change,
  decided,
  type Doc,
  type Edit,
  type Estate,
  find,
  type Host,
  keyOf,
  kinds,
  type Network,
  rebase,
} from '../model/index.ts';
import {
  broughtForward,
  comingIn,
  commonState,
  type Exchanged,
  isOfSites,
  knownOf,
  nameOf,
  newerOf,
  observedOf,
  PartObserved,
  partOf,
} from './index.ts';

const demo = demoEstate();

describe('the part of an estate for some sites', () => {
  const part = partOf(demo, ['lr']);
  const names = new Set(part.map(nameOf));
  it('has everything that is declared there, with its addresses and records', () => {
    for (const list of [demo.hosts, demo.networks, demo.registries, demo.charters, demo.gateways] as Doc[][])
      for (const d of list) if ('site' in d && d.site === 'lr') expect(names).toContain(nameOf(d));
    const lr = new Set(demo.networks.filter((n) => n.site === 'lr').map((n) => n.name));
    for (const r of demo.reservations) expect(names.has(nameOf(r))).toBe(lr.has(r.network));
    expect(part.filter((d) => d.kind === 'Record').length).toBeGreaterThan(0);
  });
  it('has whatever that refers to, and nothing of other sites besides', () => {
    // plover is built from 1.34.2, which comes from upstream, which is at another site.
    expect(names).toContain('Release 1.34.2');
    expect(names).toContain('Registry upstream');
    const upstream = demo.registries.find((r) => r.name === 'upstream');
    expect(names).toContain(`Site ${upstream?.site}`);
    expect(part.filter((d) => d.kind === 'Host' && d.site !== 'lr')).toEqual([]);
    expect(part.filter((d) => d.kind === 'Charter').map(keyOf)).toEqual(demo.charters.filter((c) => c.site === 'lr').map(keyOf));
  });
  it('stands by itself: every document finds there what it refers to', () => {
    const empty: Estate = {
      ...demo,
      ...Object.fromEntries(Object.entries(demo).map(([k, v]) => [k, Array.isArray(v) ? [] : v])),
    };
    const alone = applyEdits(
      empty,
      part.map((doc): Edit => ({ op: 'put', doc })),
    );
    expect(partOf(alone, ['lr']).map(nameOf).sort()).toEqual([...names].sort());
  });
  it('of what was observed, has what is of these sites and the bills of what they are built from', () => {
    const at = '2026-11-20T00:00:00Z';
    const bill = (name: string) => ({ name, at, images: [], blobs: {} });
    const seen = { at, digests: [] };
    const estate: Estate = {
      ...demo,
      observed: {
        ...demo.observed,
        bills: { '1.34.2': bill('1.34.2'), other: bill('other') },
        registries: { 'lr-registry': seen, 'bw-registry': seen },
      },
    };
    const o = observedOf(estate, part, ['lr']);
    expect(Object.keys(o.bills)).toEqual(['1.34.2']);
    expect(Object.keys(o.registries)).toEqual(['lr-registry']);
    expect(PartObserved.parse(o)).toEqual(o);
    // What is older, or the same, is not taken.
    const later = { ...o, registries: { 'lr-registry': { ...seen, at: '2026-11-21T00:00:00Z' } } };
    expect(newerOf(estate, o)).toEqual([]);
    expect(newerOf(estate, later)).toEqual([['registries', 'lr-registry', later.registries['lr-registry']]]);
  });
});

const net = (fields: Partial<Network> = {}): Network =>
  kinds.Network.parse({ kind: 'Network', name: 'lr-x', site: 'lr', purpose: 'client', prefix: '10.62.99.0/24', ...fields });
const zone = kinds.Zone.parse({
  kind: 'Zone',
  name: 'lr.example',
  site: 'lr',
  primary: '10.62.8.53',
  servers: ['ns.lr.example'],
  contact: 'desk.lr.example',
  key: 'k',
});
const stands =
  (...docs: Doc[]) =>
  (kind: Doc['kind'], key: string) =>
    docs.find((d) => d.kind === kind && keyOf(d) === key) ?? null;
const taken = (theirs: Doc[], common: Doc[] | undefined, here: Doc[]) => {
  const standing = stands(...here);
  return rebase(comingIn(theirs, common && knownOf(common), standing, ['lr']), standing);
};

describe('what comes in', () => {
  it('changes what they have otherwise since, and leaves what is otherwise here alone', () => {
    // Both had 1500. There it is 9000 by now; here VLAN 7 was set.
    const [one, ...more] = taken([net({ mtu: 9000 })], [net()], [net({ vlan: 7 })]);
    expect(more).toEqual([]);
    expect([one?.after, one?.collisions]).toEqual([net({ mtu: 9000, vlan: 7 }), []]);
  });
  it('is nothing where it is what both have, or what is here came from here', () => {
    expect(taken([net()], [net()], [net()])).toEqual([]);
    expect(taken([net()], [net()], [net({ mtu: 9000 })])).toEqual([]);
    expect(taken([net({ mtu: 9000 })], [net()], [net({ mtu: 9000 })])).toEqual([]);
  });
  it('collides in a field that both set otherwise, and only there', () => {
    const [one] = taken([net({ mtu: 9000, vlan: 8 })], [net()], [net({ mtu: 1400 })]);
    expect(one?.collisions).toEqual([{ path: ['mtu'], before: 1500, mine: 9000, theirs: 1400 }]);
    expect(one?.after).toEqual(net({ mtu: 1400, vlan: 8 }));
  });
  it('of which nothing is known overwrites nothing: every field that is otherwise collides', () => {
    const [one] = taken([net({ mtu: 9000, vlan: 8 })], undefined, [net({ mtu: 1400 })]);
    expect(one?.collisions.map((c) => [c.path, c.mine, c.theirs])).toEqual([[['mtu'], 9000, 1400]]);
    // What was nowhere here is added.
    expect(one?.after).toEqual(net({ mtu: 1400, vlan: 8 }));
    expect(taken([net()], undefined, [])).toEqual([{ kind: 'Network', key: 'lr-x', before: null, after: net(), collisions: [] }]);
  });
  it('takes a document away that is not there any more, unless it was changed here; not what several sites share', () => {
    expect(taken([], [zone], [zone])).toEqual([{ kind: 'Zone', key: zone.name, before: zone, after: null, collisions: [] }]);
    expect(taken([], [zone], [])).toEqual([]);
    const [one] = taken([], [zone], [{ ...zone, ttl: 60 }]);
    expect(one?.collisions.map((c) => c.path)).toEqual([[]]);
    expect(one?.after).toEqual({ ...zone, ttl: 60 });
    const shared = kinds.Team.parse({ kind: 'Team', name: 'aboard', title: 'Aboard' });
    expect(taken([], [shared], [shared])).toEqual([]);
  });
  it('has newer facts: they are taken, and older ones are not; neither is anybody’s edit', () => {
    const like = demo.hosts.find((h) => h.facts) as Host;
    const facts = (at: string, cores: number) => ({ ...(like.facts as NonNullable<Host['facts']>), at, cores });
    const read = (at: string, cores: number): Host => ({ ...like, facts: facts(at, cores) });
    const [older, newer] = ['2026-11-01T00:00:00Z', '2026-11-02T00:00:00Z'];
    const first = read('2026-10-01T00:00:00Z', 4);
    const [one] = taken([read(newer, 32)], [first], [{ ...read(older, 16), unit: 9 }]);
    expect([one?.collisions, one?.after]).toEqual([[], { ...read(newer, 32), unit: 9 }]);
    expect(taken([read(older, 16)], [first], [read(newer, 32)])).toEqual([]);
  });
});

describe('the state that both have had', () => {
  const at = (number: number, taken: number, ...docs: Doc[]) => ({ number, taken, documents: knownOf(docs) });
  const state = (...args: Parameters<typeof commonState>) => [...(commonState(...args)?.values() ?? [])];
  it('is what they sent last where they knew what was sent from here, and what was sent from here otherwise', () => {
    const [theirs, ours] = [net({ mtu: 9000 }), net({ mtu: 1400 })];
    expect(state(undefined, undefined)).toEqual([]);
    expect(state(at(1, 0, theirs), undefined)).toEqual([theirs]);
    expect(state(undefined, at(1, 0, ours))).toEqual([ours]);
    expect(state(at(3, 2, theirs), at(2, 2, ours))).toEqual([theirs]);
    expect(state(at(3, 1, theirs), at(2, 2, ours))).toEqual([ours]);
  });
  it('is brought forward by what comes in from who does not know it', () => {
    const forward = (sent: Doc[], coming: Doc[]) => [
      ...broughtForward(knownOf(sent), knownOf([net()]), knownOf(coming)).values(),
    ];
    // Here VLAN 7 was set and sent; there mtu 9000.
    expect(forward([net({ vlan: 7 })], [net({ mtu: 9000 })])).toEqual([net({ mtu: 9000, vlan: 7 })]);
    // The same field: as it was before either.
    expect(forward([net({ mtu: 1400 })], [net({ mtu: 9000 })])).toEqual([net()]);
    // What one of them declared, and what one of them deleted.
    expect(forward([net()], [net(), zone])).toEqual([net(), zone]);
    expect(forward([net(), zone], [])).toEqual([zone]);
  });
});

/** An installation with a few networks, and what it knows of the other one; as the server does it, without its database. */
class Side {
  docs: Doc[] = [];
  private sent: Exchanged[] = [];
  private last: Exchanged | undefined;
  readonly collided = new Set<string>();
  constructor(readonly prefers: 'mine' | 'theirs') {}
  edit(name: string, field: 'mtu' | 'vlan', value: number | undefined) {
    this.docs = this.docs.map((d) => {
      if (keyOf(d) !== name) return d;
      const { [field]: _, ...rest } = d as Network;
      return (value === undefined ? rest : { ...rest, [field]: value }) as Doc;
    });
  }
  bundle(): Exchanged {
    const b = { number: this.sent.length + 1, taken: this.last?.number ?? 0, documents: knownOf(this.docs) };
    this.sent.push(b);
    return b;
  }
  take(b: Exchanged): number {
    if (b.number <= (this.last?.number ?? 0)) return 0;
    const common = commonState(
      this.last,
      this.sent.find((s) => s.number === b.taken),
    );
    const standing = stands(...this.docs);
    let changes: Change[] = comingIn([...b.documents.values()], common, standing, ['lr']);
    let met = 0;
    for (const c of rebase(changes, standing))
      for (const { path } of c.collisions) {
        met++;
        this.collided.add(`${c.key} ${path.join('.')}`);
        changes = decided(changes, { ...c, path }, this.prefers, c.before);
      }
    for (const c of rebase(changes, standing))
      this.docs = [...this.docs.filter((d) => nameOf(d) !== `${c.kind} ${c.key}`), ...(c.after ? [c.after] : [])];
    this.sent = this.sent.map((x) =>
      x.number > b.taken ? { ...x, documents: broughtForward(x.documents, common, b.documents) } : x,
    );
    this.last = b;
    return met;
  }
  state = () => Object.fromEntries([...this.docs].sort((a, b) => (keyOf(a) < keyOf(b) ? -1 : 1)).map((d) => [keyOf(d), d]));
}
const step = fc.oneof(
  fc.record({
    do: fc.constant('edit' as const),
    side: fc.integer({ min: 0, max: 1 }),
    name: fc.constantFrom('lr-a', 'lr-b'),
    field: fc.constantFrom('vlan' as const, 'mtu' as const),
    // Few values, so that things are set back to what they were.
    value: fc.constantFrom(undefined, 600, 601),
  }),
  fc.record({ do: fc.constant('make' as const), side: fc.integer({ min: 0, max: 1 }) }),
  // Any bundle that was ever made arrives: late, twice, out of order.
  fc.record({
    do: fc.constant('arrive' as const),
    side: fc.integer({ min: 0, max: 1 }),
    which: fc.oneof(fc.constant(0), fc.nat(5)),
  }),
);

describe('two installations that exchange bundles, in any order, twice or never', () => {
  it('have the same after one more each way; what one of them alone ever set is as that one left it: property', () => {
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        const sides = [new Side('theirs'), new Side('mine')] as const;
        const made: ReturnType<Side['bundle']>[][] = [[], []];
        // It begins with a part that one has and sends.
        sides[0].docs = ['lr-a', 'lr-b'].map((name) => net({ name }));
        sides[1].take(sides[0].bundle());
        const set = new Map<string, { by: Set<number>; value: number | undefined }>();
        for (const s of steps) {
          const [me, other] = [sides[s.side as 0 | 1], 1 - s.side];
          if (s.do === 'edit') {
            me.edit(s.name, s.field, s.value);
            const key = `${s.name} ${s.field}`;
            set.set(key, { by: new Set([...(set.get(key)?.by ?? []), s.side]), value: s.value });
          } else if (s.do === 'make') made[s.side]?.push(me.bundle());
          else {
            const list = made[other] ?? [];
            const b = list.at(-1 - (s.which % Math.max(1, list.length)));
            if (b) me.take(b);
          }
        }
        // Each way, and once more: what was decided on one side comes to the other.
        for (let n = 0; n < 2; n++) {
          sides[1].take(sides[0].bundle());
          sides[0].take(sides[1].bundle());
        }
        expect(sides[0].state()).toEqual(sides[1].state());
        for (const [key, { by, value }] of set) {
          const [name, field] = key.split(' ') as [string, 'mtu' | 'vlan'];
          if (by.size === 1) expect((sides[0].state()[name] as Network)[field]).toBe(value);
        }
        // Nobody is asked about what one of them alone ever set.
        for (const field of [...sides[0].collided, ...sides[1].collided]) expect(set.get(field)?.by.size).toBe(2);
        // And nothing is left to take.
        expect(sides[0].take(sides[1].bundle())).toBe(0);
      }),
      { numRuns: 400 },
    );
  });
});

describe('what is of some sites', () => {
  it('is found by the networks and zones of the documents themselves', () => {
    const of = isOfSites(demo.networks, ['lr']);
    expect(demo.reservations.filter(of).length).toBeGreaterThan(0);
    expect(isOfSites([], ['lr'])(demo.reservations[0] as Doc)).toBe(false);
    expect(find(demo, 'Site', 'lr') && of(find(demo, 'Site', 'lr') as Doc)).toBe(true);
  });
});
