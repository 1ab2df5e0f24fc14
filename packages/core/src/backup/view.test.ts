import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { applyEdits, type Charter, type Edit, kinds, type Standby } from '../model/index.ts';
import { roomOf } from '../rehearse/index.ts';
import { fillOf, standbyVolumes, storesView, volumesView } from './index.ts';

const store = kinds.BackupStore.parse({
  kind: 'BackupStore',
  name: 'lr-objects',
  site: 'lr',
  endpoint: 'objects.lr.kestrelferries.example:9000',
  bucket: 'backups',
  credential: 'a',
  key: 'b',
  rateMbit: 800,
  sizeGB: 100,
});
const estate = () => {
  const set = (path: string[], value: unknown): Edit => ({ op: 'set', kind: 'Charter', key: 'plover', path, value });
  return applyEdits(goodEstate(), [
    { op: 'put', doc: store },
    set(
      ['storage'],
      [
        { name: 'kept', kind: 'copies', standard: true, copies: 2 },
        { name: 'scratch', kind: 'local' },
      ],
    ),
    set(
      ['workloads'],
      [
        { name: 'archive', kind: 'StatefulSet', replicas: 2, volumes: [{ name: 'data', sizeGB: 40, changesGB: 4 }] },
        { name: 'plotter', replicas: 3, volumes: [{ name: 'cache', class: 'scratch', sizeGB: 2 }] },
      ],
    ),
    set(
      ['backups'],
      [
        {
          name: 'nightly',
          volumes: ['archive/data'],
          store: 'lr-objects',
          at: '0 2 * * *',
          keep: { last: 3 },
          trial: '0 5 * * 0',
        },
      ],
    ),
  ]);
};
const viewed = () => {
  const e = estate();
  const plan = resolve(e.charters[0] as Charter, e);
  return volumesView(plan, roomOf(plan), e);
};

describe('volumes of a cluster', () => {
  it('have the room of three hosts of 960 GB, with two copies, and what is asked of it', () => {
    const { room, askedGB, keptGB, hosts } = viewed();
    // 2,880 in all; halved 1,440; two left with one copy on each: 960; a fifth kept free: 768.
    expect(room).toEqual({ raw: 2880, copies: 2, withCopies: 1440, afterLoss: 960, afterReserve: 768 });
    // 2 × 40 + 2; 4 × 40 + 2.
    expect([askedGB, keptGB]).toEqual([82, 162]);
    expect(hosts.reduce((sum, h) => sum + h.heldGB, 0)).toBe(162);
  });
  it('lie on other hosts each, and say which plan brings them back, and when', () => {
    const { volumes, bare, recovery } = viewed();
    for (const v of volumes) expect(new Set(v.copies).size).toBe(v.copies.length);
    expect(volumes.map((v) => [v.name, v.kind, v.copies.length, v.plan?.name, v.pods])).toEqual([
      ['archive/data-0', 'copies', 2, 'nightly', 1],
      ['archive/data-1', 'copies', 2, 'nightly', 1],
      ['plotter/cache', 'local', 1, undefined, 3],
    ]);
    expect(bare).toBe(1);
    // 80 GB are 640,000 Mbit: at 800 Mbit/s 800 s.
    expect(recovery).toEqual({ ms: 800_000, gb: 80, by: 'lr-objects' });
  });
  it('are backed up seven times in a week, both in 80 s, and the first of a Sunday is tested', () => {
    const [plan] = viewed().plans;
    expect(plan?.next).toHaveLength(7);
    // 4 GB each: 32,000 Mbit at 800 Mbit/s.
    expect(plan?.next[0]?.takes).toBe(80_000);
    expect(new Date(plan?.trial ?? 0).getUTCDay()).toBe(0);
  });
  it('are kept at another cluster as well: by what they are called, with how far that is behind', () => {
    const now = Date.parse(goodEstate().now);
    const ago = (hours: number) => new Date(now - hours * 3_600_000).toISOString();
    const e = estate();
    const plover = e.charters[0] as Charter;
    const gannet = kinds.Charter.parse({
      ...plover,
      name: 'gannet',
      backups: undefined,
      workloads: [
        { name: 'kept', kind: 'StatefulSet', replicas: 3, volumes: [{ name: 'data', sizeGB: 40 }] },
        { name: 'plotter', volumes: [{ name: 'own', sizeGB: 1 }] },
      ],
      standbys: [{ workload: 'kept', cluster: 'plover', of: 'archive' }],
    });
    const seen = { at: ago(2), store: 'lr-objects' };
    const both = {
      ...e,
      charters: [plover, gannet],
      observed: {
        ...e.observed,
        backups: {
          plover: { volumes: { 'archive/data-0': seen, 'archive/data-1': { ...seen, at: ago(3) } } },
          gannet: { volumes: {}, standbys: { kept: { state: 'follows' as const, holds: ago(26) } } },
        },
      },
    };
    // The third of gannet has none at plover.
    expect(standbyVolumes(gannet, gannet.standbys?.[0] as Standby, plover)).toMatchObject({
      pairs: [
        { here: { name: 'kept/data-0' }, there: { name: 'archive/data-0' } },
        { here: { name: 'kept/data-1' }, there: { name: 'archive/data-1' } },
      ],
      unmatched: ['gannet has kept/data-2, plover has none for it'],
      small: [],
    });
    const row = {
      charter: 'gannet',
      volumes: ['kept/data-0', 'kept/data-1'],
      sizeGB: 80,
      // The older of the two newest: both volumes have one of then.
      newest: ago(3),
      lag: 26 * 3_600_000,
      // A day between two, 40 s of 4 GB at 800 Mbit/s, and an hour for what is under way; the clocks of lr do not change within the year.
      mayLag: 24 * 3_600_000 + 40_000 + 3_600_000,
    };
    const view = (c: Charter) => {
      const plan = resolve(c, both);
      return volumesView(plan, roomOf(plan), both);
    };
    expect(view(gannet).standbys).toEqual([expect.objectContaining(row)]);
    expect(view(plover).keptAt).toEqual([expect.objectContaining(row)]);
    expect([view(plover).standbys, view(gannet).keptAt]).toEqual([[], []]);
    // What is kept from another cluster is lost with none of its own: one volume of gannet is.
    expect([view(gannet).bare, view(gannet).volumes.map((v) => v.from)]).toEqual([1, ['plover', 'plover', 'plover', undefined]]);
  });
  it('come to 96 GB in the store: each whole, and two days of 4', () => {
    expect(storesView(estate())).toEqual([expect.objectContaining({ store, taken: [{ charter: 'plover', gb: 96 }], sumGB: 96 })]);
  });
  it('fill their store: nothing until the first, then each whole, then 4 GB a day each until one is dropped for each that comes', () => {
    const hour = 3_600_000;
    const e = estate();
    const now = Date.parse(e.now);
    // The estate is of 09:00; the first two are made at 02:00 of the next day: in 17 hours.
    const first = now + 17 * hour;
    expect(fillOf(store, e, now)).toEqual({
      points: [
        { at: now, gb: 0 },
        { at: first - 1, gb: 0 },
        { at: first, gb: 80 },
        { at: first + 48 * hour, gb: 96 },
      ],
      fullAt: undefined,
    });
    // 88 GB are reached when half of the 16 GB were added: after a day.
    expect(fillOf({ ...store, sizeGB: 88 }, e, now).fullAt).toBe(first + 24 * hour);
    // A volume that is kept for longer grows for longer, and the others do not with it: 2 GB, and ten days of a tenth.
    const plover = e.charters[0] as Charter;
    const cache = { name: 'long', volumes: ['plotter/cache'], store: 'lr-objects', at: '0 3 * * *', keep: { last: 11 } };
    const both = { ...e, charters: [{ ...plover, backups: [...(plover.backups ?? []), cache] }] };
    expect(fillOf(store, both, now).points.at(-1)).toEqual({ at: first + hour + 240 * hour, gb: expect.closeTo(96 + 3, 6) });
    // What is too small for the first one is full at once, what nobody measured never is.
    expect([fillOf({ ...store, sizeGB: 79 }, e, now).fullAt, fillOf({ ...store, sizeGB: undefined }, e, now).fullAt]).toEqual([
      first,
      undefined,
    ]);
  });
});
