import { describe, expect, it } from 'vitest';
import { applyEdits, type Estate, type Network } from '../model/index.ts';
import { goodEstate, network } from '../../test/estate.ts';
import { graphOf } from './graph.ts';
import { type End, trace } from './trace.ts';

/** Desks behind a router of their own; machines; and an archive that is reached over a next hop among the machines. */
function room(more: { desks?: Partial<Network>; machine?: Partial<Network>; archive?: Partial<Network> } = {}): Estate {
  const e = goodEstate();
  return {
    ...e,
    networks: [
      network('desks', 'machine', '10.62.40.0/24', 840, { gateway: '10.62.40.1', routesTo: ['machine'], ...more.desks }),
      network('machine', 'machine', '10.62.8.0/25', 812, {
        gateway: '10.62.8.1',
        routesTo: ['desks'],
        mtu: 9000,
        ...more.machine,
      }),
      network('archive', 'storage', '10.62.9.0/28', 819, { gateway: '10.62.9.1', ...more.archive }),
    ] as Network[],
    reservations: [],
  };
}
const desk: End = { label: 'radar desk 2', address: '10.62.40.17', network: 'desks' };
const service: End = { label: 'radar-archive', address: '10.62.8.66', network: 'machine' };
const store: End = { label: 'store', address: '10.62.9.4', network: 'archive' };
const hops = (l: ReturnType<typeof trace>['forward']) => l.hops.map((h) => `${h.at} → ${h.next ?? 'itself'} in ${h.network}`);

describe('a path', () => {
  it('goes over the routers of both networks, there and back; the narrower one says what passes', () => {
    const t = trace(graphOf(room()), desk, service);
    expect(hops(t.forward)).toEqual(['radar desk 2 → 10.62.40.1 in desks', 'router of desks → itself in machine']);
    expect(hops(t.back)).toEqual(['radar-archive → 10.62.8.1 in machine', 'router of machine → itself in desks']);
    expect(t.forward.hops[1]?.chosen).toEqual({
      prefix: '10.62.8.0/25',
      from: { kind: 'Network', name: 'desks', path: ['routesTo', 0] },
    });
    expect(t.forward.hops.map((h) => [h.vlan, h.mtu])).toEqual([
      [840, 1500],
      [812, 9000],
    ]);
    expect([t.works, t.forward.mtu, t.forward.nobody]).toEqual([true, 1500, true]);
    expect(trace(graphOf(room()), desk, service, 9000).works).toBe(false);
  });
  it('within one network needs no router', () => {
    const t = trace(
      graphOf(room({ machine: { gateway: undefined } })),
      { ...service, address: '10.62.8.40', label: 'lr-01' },
      service,
    );
    expect([t.works, hops(t.forward)]).toEqual([true, ['lr-01 → itself in machine']]);
  });
  it('that has no way back stops there, and the one route that is lacking mends it', () => {
    const e = room({ machine: { routesTo: [] } });
    const t = trace(graphOf(e), desk, service);
    expect([t.works, t.forward.stop, t.back.stop?.at, t.back.stop?.why]).toEqual([
      false,
      undefined,
      'router of machine',
      'it has no route to 10.62.40.17',
    ]);
    const mended = applyEdits(e, t.back.stop?.edits ?? []);
    expect(mended.networks.find((n) => n.name === 'machine')?.routesTo).toEqual(['desks']);
    expect(trace(graphOf(mended), desk, service).works).toBe(true);
  });
  it('follows the longest prefix, and a static route before a declared reach to the same one', () => {
    const e = room({
      desks: { routesTo: ['machine'], routes: [{ to: '10.62.8.64/28', via: '10.62.40.9' }] },
    });
    const t = trace(graphOf(e), desk, service);
    expect(t.forward.hops.at(-1)).toMatchObject({ next: '10.62.40.9', chosen: { prefix: '10.62.8.64/28' } });
    // Nobody has said what that machine does: neither that it arrives, nor that it does not.
    expect(t.forward.stop).toMatchObject({ at: '10.62.40.9', sort: 'unknown' });
    expect(trace(graphOf(e), desk, { ...service, address: '10.62.8.40' }).works).toBe(true);
  });
  it('over a next hop that is the gateway of another network goes on there', () => {
    // The gateway of the archive stands among the machines.
    const e = room({
      machine: { routes: [{ to: '10.62.9.0/28', via: '10.62.8.9' }] },
      archive: { gateway: '10.62.8.9', routesTo: ['machine'] },
    });
    expect(hops(trace(graphOf(e), service, store).forward)).toEqual([
      'radar-archive → 10.62.8.1 in machine',
      'router of machine → 10.62.8.9 in machine',
      'router of archive → itself in archive',
    ]);
  });
  it('that goes round is said to', () => {
    // Each hands what is for 10.70.0.0/16 to the other: 10.62.8.9 is the archive's router, 10.62.9.2 that of the machines.
    const to = '10.70.0.0/16';
    const e = room({
      machine: { gateway: '10.62.9.2', routes: [{ to, via: '10.62.8.9' }] },
      archive: { gateway: '10.62.8.9', routes: [{ to, via: '10.62.9.2' }] },
    });
    const away = { label: 'x', address: '10.70.0.1', network: 'desks' };
    const { hops, stop } = trace(graphOf(e), service, away).forward;
    expect([hops.length, stop?.at]).toEqual([3, 'router of machine']);
    expect(stop?.why).toContain('it goes round until it is dropped');
  });
  it('to a next hop that two sites have goes on at its own', () => {
    const e = room({ machine: { routes: [{ to: '10.62.9.0/28', via: '10.62.8.9' }] }, archive: { gateway: '10.62.8.9' } });
    const other = network('elsewhere', 'storage', '10.62.9.0/28', 819, { site: 'bw', gateway: '10.62.8.9' }) as Network;
    const { hops } = trace(graphOf({ ...e, networks: [other, ...e.networks] }), service, store).forward;
    expect(hops.map((h) => h.at)).toEqual(['radar-archive', 'router of machine', 'router of archive']);
  });
  it.each<[string, Parameters<typeof room>[0], End, End, RegExp]>([
    [
      'without a gateway',
      { desks: { gateway: undefined } },
      desk,
      service,
      /desks has no gateway: nothing leaves 10\.62\.40\.0\/24/,
    ],
    [
      'into a network that no router is in',
      { desks: { routesTo: ['archive'] }, archive: { gateway: undefined } },
      desk,
      store,
      /archive has no gateway/,
    ],
    ['from nowhere', {}, { ...desk, network: 'attic' }, service, /no network attic is declared/],
    [
      'over a next hop elsewhere',
      { desks: { routes: [{ to: '10.62.9.0/28', via: '10.1.1.1' }] } },
      desk,
      store,
      /10\.1\.1\.1 does not lie in desks/,
    ],
  ])('%s stops, with why', (_, more, from, to, why) => {
    const { stop } = trace(graphOf(room(more)), from, to).forward;
    expect(stop).toMatchObject({ sort: 'dead', why: expect.stringMatching(why) });
  });
});
