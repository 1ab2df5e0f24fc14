import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { goodEstate, host } from '../../test/estate.ts';
import { contains, holds, parseIp, parsePrefix, parseRange, prefixRange, spaceOf } from '../address/index.ts';
import { type Charter, type Estate, type Host, kinds, type Network, type Reservation } from '../model/index.ts';
import { consequences, resolve } from './index.ts';

/** Estates as they come: any number of hosts of any size, in any zone, some held, some not read; any addresses taken. */
const hosts = fc.array(
  fc.record({
    cores: fc.constantFrom(4, 8, 16, 32, 64),
    memory: fc.constantFrom(16, 64, 128, 256),
    zone: fc.constantFrom('A', 'B', 'C'),
    state: fc.constantFrom<Host['state']>('fit', 'fit', 'fit', 'listed', 'serving', 'resting', 'retired'),
    read: fc.constantFrom(true, true, true, false),
  }),
  { minLength: 0, maxLength: 12 },
);
const estates = fc
  .record({
    hosts,
    taken: fc.uniqueArray(fc.integer({ min: 2, max: 125 }), { maxLength: 40 }),
    control: fc.constantFrom(1, 3, 5),
    workers: fc.integer({ min: 0, max: 6 }),
  })
  .map(({ hosts: list, taken, control, workers }): Estate => {
    const e = goodEstate();
    const made = list.map((h, i) => {
      const base = host(i + 1);
      const facts = h.read && base.facts ? { ...base.facts, cores: h.cores, memoryGiB: h.memory } : undefined;
      return { ...base, zone: h.zone, state: h.state, ...(facts ? { facts } : { facts: undefined }) } as Host;
    });
    const reservations = taken.map(
      (n) =>
        kinds.Reservation.parse({
          kind: 'Reservation',
          address: `10.62.8.${n}`,
          network: 'lr-machine',
          owner: { kind: 'hand', name: 'desk' },
        }) as Reservation,
    );
    const charter = { ...(e.charters[0] as Charter), controlPlane: { count: control }, workers: { count: workers } };
    return { ...e, hosts: made, reservations, charters: [charter] };
  });
const planOf = (e: Estate) => resolve(e.charters[0] as Charter, e);
const machine = (e: Estate) => e.networks.find((n) => n.name === 'lr-machine') as Network;

describe('a plan, whatever the estate', () => {
  it('is the same every time, and does not change what it was made from', () => {
    fc.assert(
      fc.property(estates, (e) => {
        const before = JSON.stringify(e);
        expect(planOf(e)).toEqual(planOf(e));
        expect(JSON.stringify(e)).toBe(before);
      }),
      { numRuns: 60 },
    );
  });
  it('takes each host once, only hosts that are free and measured, and says of every other why not', () => {
    fc.assert(
      fc.property(estates, (e) => {
        const p = planOf(e);
        const names = p.nodes.map((n) => n.host);
        expect(new Set(names).size).toBe(names.length);
        for (const n of p.nodes) {
          const h = e.hosts.find((x) => x.name === n.host);
          expect(h?.facts).toBeDefined();
          expect(['serving', 'resting', 'retired', 'sighted']).not.toContain(h?.state);
        }
        expect(p.nodes.filter((n) => n.role === 'control-plane').length).toBeLessThanOrEqual(
          (e.charters[0] as Charter).controlPlane.count,
        );
        const seen = new Set([...names, ...p.notChosen.map((x) => x.host)]);
        for (const h of e.hosts) if (h.state !== 'retired') expect(seen.has(h.name)).toBe(true);
        for (const x of p.notChosen) expect(x.why.length).toBeGreaterThan(3);
      }),
      { numRuns: 100 },
    );
  });
  it('gives every node another address, none that is taken, leased, a gateway or outside the network', () => {
    fc.assert(
      fc.property(estates, (e) => {
        const p = planOf(e);
        const n = machine(e);
        const all = [...p.nodes.map((x) => x.address), p.api.address, p.inbound.address].filter((a): a is string => !!a);
        expect(new Set(all).size).toBe(all.length);
        const taken = new Set(e.reservations.map((r) => r.address));
        const leased = n.dhcp.map((s) => parseRange(s.range));
        for (const a of all) {
          expect([a, taken.has(a)]).toEqual([a, false]);
          expect(holds(prefixRange(parsePrefix(n.prefix)), parseIp(a))).toBe(true);
          expect(leased.some((r) => holds(r, parseIp(a)))).toBe(false);
          expect(a).not.toBe(n.gateway);
        }
      }),
      { numRuns: 100 },
    );
  });
  it('keeps what is held when somebody else takes what was not', () => {
    fc.assert(
      fc.property(estates, fc.integer({ min: 2, max: 125 }), (e, n) => {
        const first = planOf(e);
        // Saving makes what follows held: hosts promised, addresses in the ledger.
        const roles = new Map(first.nodes.map((x) => [x.host, x.role]));
        const held: Estate = {
          ...e,
          hosts: e.hosts.map((h) =>
            roles.has(h.name)
              ? { ...h, state: 'held' as const, held: { charter: 'plover', role: roles.get(h.name) ?? 'worker' } }
              : h,
          ),
          reservations: [...e.reservations, ...first.reservations],
        };
        const other = kinds.Reservation.parse({
          kind: 'Reservation',
          address: `10.62.8.${n}`,
          network: 'lr-machine',
          owner: { kind: 'hand', name: 'late' },
        }) as Reservation;
        const later = held.reservations.some((r) => r.address === other.address)
          ? held
          : { ...held, reservations: [...held.reservations, other] };
        const second = planOf(later);
        const shown = (p: typeof first) => p.nodes.map((x) => `${x.host} ${x.role} ${x.address}`).sort();
        expect(shown(second)).toEqual(shown(first));
        expect(second.api).toEqual(first.api);
        expect(consequences(first, second, later).filter((c) => c.what === 'address')).toEqual([]);
      }),
      { numRuns: 60 },
    );
  });
  it('has names in certificates for every node and the address of the API', () => {
    fc.assert(
      fc.property(estates, (e) => {
        const p = planOf(e);
        for (const n of p.nodes.filter((x) => x.role === 'control-plane')) {
          const own = p.certificates.filter((c) => JSON.stringify(c).includes(n.host));
          expect(own.length).toBeGreaterThan(0);
        }
      }),
      { numRuns: 40 },
    );
  });
});

describe('the space of a network', () => {
  it('is never fuller than its prefix, and what is free and what is taken make the whole', () => {
    fc.assert(
      fc.property(estates, (e) => {
        const n = machine(e);
        const space = spaceOf(
          n,
          e.reservations.map((r) => r.address),
        );
        const free = space.freeRuns();
        const whole = prefixRange(parsePrefix(n.prefix));
        for (const r of free) expect(contains(whole, r)).toBe(true);
        expect(space.fullness()).toBeCloseTo(1 - Number(space.left) / 128, 5);
      }),
    );
  });
});
