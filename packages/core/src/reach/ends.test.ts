import { describe, expect, it } from 'vitest';
import type { Charter, Network, Reservation } from '../model/index.ts';
import { goodEstate, network } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { endOf } from './ends.ts';
import { graphOf } from './graph.ts';

const estate = goodEstate();
const end = (text: string, e = estate) => endOf(e, graphOf(e), text);

describe('an end of a path', () => {
  const plan = resolve(estate.charters[0] as Charter, estate);
  it('is an address, in the smallest network that has it', () => {
    expect(end('10.62.8.60')).toEqual({ label: '10.62.8.60', address: '10.62.8.60', network: 'lr-machine' });
    expect(end('lr-machine/10.62.8.60')).toEqual(end('10.62.8.60'));
  });
  it('is a network: one of its addresses that is not its router’s', () => {
    // 10.62.8.1 is the gateway, and 10.62.8.0 the network itself.
    expect(end('lr-machine')).toEqual({
      label: 'a machine in lr-machine',
      address: '10.62.8.2',
      network: 'lr-machine',
      any: true,
    });
  });
  it('is a host by its planned address, a cluster by its API, or its inbound address', () => {
    const node = plan.nodes[0];
    expect(end(node?.host ?? '')).toEqual({ label: node?.host, address: node?.address, network: 'lr-machine' });
    expect(end('plover')).toMatchObject({ label: 'API of plover', address: plan.api.address });
    expect(end('plover/inbound')).toMatchObject({ label: 'inbound address of plover', address: plan.inbound.address });
  });
  it('is called as the ledger has it', () => {
    const r = {
      network: 'lr-machine',
      address: '10.62.8.90',
      name: 'ntp.lr.kestrelferries.example',
      owner: { kind: 'person', name: 'x' },
    };
    const e = { ...estate, reservations: [...estate.reservations, { ...estate.reservations[0], ...r } as Reservation] };
    expect(end('10.62.8.90', e).label).toBe('ntp.lr.kestrelferries.example');
  });
  it.each([
    ['10.99.0.1', '10.99.0.1 lies in no network that is declared'],
    ['lr-machine/10.99.0.1', '10.99.0.1 does not lie in lr-machine, which is 10.62.8.0/25'],
    ['lr-machine/x', 'x is no address'],
    ['outside', 'outside is no address, network, host or cluster'],
    ['plover/outbound', 'plover has no outbound: there are api, inbound, pod'],
    ['lr-machne', 'lr-machne is no address, network, host or cluster; did you mean lr-machine?'],
  ])('%s is none, with why', (text, why) => {
    expect(() => end(text)).toThrow(why);
  });
  it('is a service at a port of the nodes, at any of them', () => {
    const charter = {
      ...estate.charters[0],
      nodePorts: [{ name: 'ais-feed', namespace: 'default', port: 30_080, protocol: 'udp' }],
    };
    expect(end('plover/ais-feed', { ...estate, charters: [charter as Charter] })).toMatchObject({
      label: 'ais-feed',
      address: plan.nodes[0]?.address,
      port: { number: 30_080, protocol: 'udp' },
      cluster: { is: 'node-port', charter: 'plover' },
    });
  });
  it('lies outside where a packet goes to it, and never where one comes from', () => {
    const to = (text: string) => endOf(estate, graphOf(estate), text, 'to');
    expect(to('10.99.0.1')).toEqual({ label: '10.99.0.1', address: '10.99.0.1', network: '' });
    expect(to('outside')).toMatchObject({ label: 'the outside', network: '' });
  });
  it('of two networks with one prefix is asked for by name', () => {
    const other = network('bw-machine', 'machine', '10.62.8.0/25', 812, { site: 'bw' }) as Network;
    const e = { ...estate, networks: [...estate.networks, other] };
    expect(() => end('10.62.8.60', e)).toThrow('10.62.8.60 lies in lr-machine and bw-machine: write lr-machine/10.62.8.60');
    expect(end('bw-machine/10.62.8.60', e).network).toBe('bw-machine');
  });
});
