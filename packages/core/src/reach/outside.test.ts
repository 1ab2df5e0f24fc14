import { describe, expect, it } from 'vitest';
import { goodEstate, network } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { type Charter, type Estate, kinds, type Network } from '../model/index.ts';
import { endOf } from './ends.ts';
import { graphOf } from './graph.ts';
import { trace } from './trace.ts';

/** Desks behind a router of their own, beside the machines. */
const base = goodEstate();
const good: Estate = {
  ...base,
  networks: [
    ...base.networks.map((n) => (n.name === 'lr-machine' ? ({ ...n, routesTo: [...n.routesTo, 'desks'] } as Network) : n)),
    network('desks', 'client', '10.62.40.0/24', 840, { gateway: '10.62.40.1', routesTo: ['lr-machine'] }) as Network,
  ],
};
const first = resolve(good.charters[0] as Charter, good).nodes[0];
const with_ = (charter: object, e: Estate = good): Estate => ({
  ...e,
  charters: e.charters.map((c) => (c.name === 'plover' ? (kinds.Charter.parse({ ...c, ...charter }) as Charter) : c)),
});
const path = (e: Estate, from: string, to: string) => {
  const reach = graphOf(e);
  return trace(reach, endOf(e, reach, from), endOf(e, reach, to, 'to'));
};
/** The gateway of the machines knows a way out, over somebody of whom nothing is declared. */
const opened = (e: Estate): Estate => ({
  ...e,
  networks: e.networks.map((n) =>
    n.name === 'lr-machine' ? ({ ...n, routes: [{ to: '0.0.0.0/0', via: '10.62.8.2' }] } as Network) : n,
  ),
});

describe('a service at a port of every node', () => {
  const e = with_({ nodePorts: [{ name: 'ais-feed', port: 30_080 }] });
  it('is asked for at a node, which hands it on to the pod, inside of the overlay', () => {
    const t = path(e, 'desks', 'plover/ais-feed');
    expect([t.forward.stop, t.back.stop]).toEqual([undefined, undefined]);
    expect(t.forward.hops.at(-1)).toMatchObject({
      at: 'the node of plover that is asked',
      nat: { of: 'destination', before: `${first?.address} port 30080`, after: 'the pod' },
      inside: { kind: 'geneve' },
    });
  });
  it('is stopped by a rule about its port, and by none about another', () => {
    const ruled = (port: number): Estate => ({
      ...e,
      networks: e.networks.map((n) =>
        n.name === 'desks' ? ({ ...n, rules: [{ do: 'deny', protocol: 'tcp', port }] } as Network) : n,
      ),
    });
    const stop = (port: number) => path(ruled(port), 'desks', 'plover/ais-feed').forward.stop?.why;
    expect(stop(30_080)).toContain('rule 1 stops it');
    expect(stop(30_081) ?? '').not.toContain('rule');
    // Of UDP nobody asks by TCP.
    const udp = ruled(30_080);
    const charters = udp.charters.map((c) => ({
      ...c,
      nodePorts: c.nodePorts?.map((p) => ({ ...p, protocol: 'udp' as const })),
    }));
    expect(path({ ...udp, charters }, 'desks', 'plover/ais-feed').forward.stop).toBeUndefined();
  });
});

describe('what is outside', () => {
  const proxied = (more: object = {}) => opened(with_({ proxy: { url: 'http://10.62.8.100:3128', ...more } }));
  const host = first?.host ?? '';
  it('is asked for over the proxy of the cluster, which asks for it itself', () => {
    const { forward } = path(proxied(), host, 'outside');
    expect(forward.hops.map((h) => h.at)).toEqual([host, 'proxy of plover', 'router of lr-machine']);
    expect(forward.hops[1]).toMatchObject({ nat: { of: 'source', before: first?.address, after: '10.62.8.100' } });
    expect(forward.stop).toMatchObject({ sort: 'unknown', at: '10.62.8.2' });
  });
  it.each([
    ['without a proxy', opened(good), host],
    ['by an exception of it', proxied({ except: ['198.51.100.0/24'] }), host],
    ['by whoever is no node', proxied(), 'lr-machine'],
  ])('is asked for directly %s', (_, e, from) => {
    const at = path(e, from, 'outside').forward.hops.map((h) => h.at);
    expect(at).toHaveLength(2);
    expect(at[1]).toBe('router of lr-machine');
  });
  it('is not asked for over it where it is of the estate', () => {
    expect(path(proxied(), host, 'lr-machine').forward.hops.map((h) => h.at)).toEqual([host]);
  });
  it('lies behind a proxy by its name, where a reservation or a record has it', () => {
    const named = opened(with_({ proxy: { url: 'http://proxy.lr.kestrelferries.example:3128' } }));
    expect(path(named, host, 'outside').forward.stop).toMatchObject({
      at: 'proxy of plover',
      sort: 'unknown',
      why: 'proxy.lr.kestrelferries.example leads to no address that is declared',
    });
    const record = kinds.Record.parse({
      kind: 'Record',
      zone: 'lr.kestrelferries.example',
      name: 'proxy',
      type: 'A',
      value: '10.62.8.100',
    });
    const known = { ...named, records: [record] } as Estate;
    expect(path(known, host, 'outside').forward.hops.map((h) => h.at)).toContain('proxy of plover');
  });
  it('stops before the proxy where a rule stops what goes to it', () => {
    const e = opened(with_({ proxy: { url: 'http://10.62.40.100:3128' } }));
    const denied = {
      ...e,
      networks: e.networks.map((n) =>
        n.name === 'lr-machine' ? { ...n, rules: [{ do: 'deny', protocol: 'tcp', port: 3128 }] } : n,
      ),
    } as Estate;
    expect(path(denied, host, 'outside').forward.stop).toMatchObject({ sort: 'dead', why: expect.stringContaining('rule 1') });
  });
});
