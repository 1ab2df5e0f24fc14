import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { type Charter, type Estate, type Host, kinds, type Reservation } from '../model/index.ts';
import { type MadeBesides, madeFor } from './index.ts';

const none: MadeBesides = {
  secrets: [],
  objects: [],
  files: 0,
  backups: 0,
  hosts: new Set(),
  addresses: new Set(),
  names: new Set(),
};
/** A cluster that stands on what its plan chose, its addresses reserved. */
function standing(): { estate: Estate; plan: ReturnType<typeof resolve> } {
  const e = goodEstate();
  const plan = resolve(e.charters[0] as Charter, e);
  const roles = new Map(plan.nodes.map((n) => [n.host, n.role]));
  e.hosts = e.hosts.map((h) => {
    const role = roles.get(h.name);
    return role ? ({ ...h, state: 'serving', held: { charter: 'plover', role } } as Host) : h;
  });
  e.reservations = [...e.reservations, ...plan.reservations.map((r) => kinds.Reservation.parse(r) as Reservation)];
  return { estate: e, plan };
}
const made = (estate: Estate, besides: Partial<MadeBesides> = {}) =>
  madeFor(resolve(estate.charters[0] as Charter, estate), estate, { ...none, ...besides });
const of = (list: ReturnType<typeof made>, kind: string) => list.filter((t) => t.kind === kind);
const leftOver = (list: ReturnType<typeof made>) =>
  list.filter((t) => t.state === 'left-over').map((t) => `${t.kind} ${t.name}: ${t.about}`);
const serve = (e: Estate, ...records: [name: string, type: string, value: string][]): Estate => ({
  ...e,
  observed: {
    ...e.observed,
    zones: {
      'lr.kestrelferries.example': {
        at: e.now,
        serial: 1,
        records: records.map(([name, type, value]) => ({ name, type, value, ttl: 300 })),
      },
    },
  },
});

describe('what was made for a cluster that stands', () => {
  const { estate, plan } = standing();
  it('is its hosts, addresses, secrets and objects, all in use', () => {
    const list = made(estate, {
      secrets: ['admin.crt'],
      objects: ['ConfigMap kube-system/cluster-dns'],
      files: 12,
      backups: 2,
      pulls: '5 of 5',
    });
    expect(of(list, 'hosts').map((t) => t.state)).toEqual(Array(6).fill('in-use'));
    expect(of(list, 'addresses')).toHaveLength(plan.reservations.length);
    expect(new Set(of(list, 'addresses').map((t) => t.state))).toEqual(new Set(['in-use']));
    expect(['files', 'backups', 'pulls'].map((k) => of(list, k)[0]?.name)).toEqual(['12 files', '2 of etcd', '5 of 5']);
    expect(of(list, 'secrets')[0]).toMatchObject({ name: 'admin.crt', state: 'in-use' });
    expect(leftOver(list)).toEqual([]);
  });
  it('a record that nobody plans and that leads to its API is left over; one that is planned is in use', () => {
    const { api } = plan;
    const list = made(serve(estate, [api.name, 'A', api.address], ['old-api.lr.kestrelferries.example', 'A', api.address]));
    expect(of(list, 'records').map((t) => [t.name.split(' ')[0], t.state])).toEqual([
      [api.name, 'in-use'],
      ['old-api.lr.kestrelferries.example', 'left-over'],
    ]);
  });
  it('a host that is to leave, and one that left, wait', () => {
    const charter = kinds.Charter.parse({
      ...(estate.charters[0] as Charter),
      except: [plan.nodes.at(-1)?.host ?? ''],
    }) as Charter;
    const leaving = made({ ...estate, charters: [charter] });
    expect(of(leaving, 'hosts').filter((t) => t.state === 'waits')[0]?.about).toContain('is to leave');
    const rests = {
      ...estate,
      hosts: estate.hosts.map((h) =>
        h.name === plan.nodes.at(-1)?.host ? ({ ...h, state: 'resting', held: undefined } as Host) : h,
      ),
    };
    const gone = made(rests, { hosts: new Set([plan.nodes.at(-1)?.host ?? '']) });
    expect(of(gone, 'hosts').find((t) => t.state === 'waits')?.about).toBe('rests until it is wiped');
  });
});

describe('what is left of a cluster that is gone', () => {
  const before = standing();
  const gone = {
    ...before.estate,
    hosts: before.estate.hosts.map((h) => (h.held ? ({ ...h, state: 'fit', held: undefined } as Host) : h)),
    reservations: goodEstate().reservations,
  };
  const { api } = before.plan;
  const had = {
    hosts: new Set(before.plan.nodes.map((n) => n.host)),
    addresses: new Set([api.address]),
    names: new Set([api.name]),
  };
  it('is nothing where all of it was taken away', () => {
    expect(leftOver(made(gone, had))).toEqual([]);
  });
  it('is a record that somebody edited by hand: with its name, or to its address', () => {
    const list = leftOver(made(serve(gone, [api.name, 'A', '10.1.1.1'], ['x.example', 'A', api.address]), had));
    expect(list).toHaveLength(2);
    expect(list[0]).toContain('it has a name of plover');
    expect(list[1]).toContain('it leads to an address of plover');
  });
  it('is not what somebody else has by now', () => {
    const reserved = kinds.Reservation.parse({
      kind: 'Reservation',
      network: 'lr-machine',
      address: api.address,
      owner: { kind: 'hand', name: 'printer' },
    }) as Reservation;
    const e = { ...gone, reservations: [...gone.reservations, reserved] };
    expect(leftOver(made(serve(e, ['printer.example', 'A', api.address]), had))).toEqual([]);
  });
  it('is a guest on a hypervisor that no host of the estate is', () => {
    const seen = (name: string) => ({
      ...gone,
      observed: {
        ...gone.observed,
        hypervisors: {
          'lr-hv1': {
            ...{ at: gone.now, cores: 8, memoryGiB: 64, freeGiB: 32, pools: [], bridges: [], images: [] },
            guests: [{ name, state: 'running' as const, vcpu: 2, memoryGiB: 4 }],
          },
        },
      },
    });
    expect(leftOver(made(seen('plover-w9'), { ...had, hosts: new Set(['plover-w9']) }))[0]).toContain(
      'no host of the estate is it',
    );
    expect(leftOver(made(seen('somebodys'), had))).toEqual([]);
  });
  it('is a key that no host has any more', () => {
    expect(leftOver(made(gone, { ...had, secrets: ['admin.key'] }))).toEqual([
      'secrets admin.key: kept sealed, and no host has it any more',
    ]);
  });
});
