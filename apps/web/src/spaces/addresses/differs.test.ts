import { describe, expect, it } from 'vitest';
import type { Measured } from '@praesidor/contract';
import type { Leg, Trace } from '@praesidor/core/reach';
import { differs } from './differs.ts';

const hop = { at: 'lr-05', network: 'lr-machine', vlan: 812, mtu: 1500, next: '10.62.8.1', chosen: undefined };
const leg = (more: Partial<Leg> = {}): Leg => ({ hops: [hop], mtu: 1500, ...more }) as Leg;
const dead = { at: 'lr-gate-b', why: 'no route', sort: 'dead' as const, lacking: [], edits: [] };
const trace = (more: Partial<Trace> = {}) => ({ forward: leg(), back: leg(), ...more }) as Trace;
const measured = (more: Partial<Measured> = {}): Measured => ({
  to: 'x',
  address: '10.62.40.17',
  port: 443,
  at: '2026-11-23T09:00:00Z',
  answered: true,
  ms: 1,
  pathMtu: null,
  why: null,
  from: { host: 'lr-05', via: '10.62.8.1', link: 'eno1', mtu: 1500 },
  ...more,
});

describe('a measured path beside the computed one', () => {
  it('agrees where it is reached, over the same router, by a link that carries as much', () => {
    expect(differs(measured(), trace())).toEqual([]);
    expect(differs(measured({ answered: false }), trace({ back: leg({ stop: dead }) }))).toEqual([]);
  });
  it.each<[string, Measured, Trace, string]>([
    ['is reached, and by the plan it is not', measured(), trace({ forward: leg({ stop: dead }) }), 'lr-05 has another way'],
    ['is not reached, and by the plan it is', measured({ answered: false }), trace(), 'By the plan it is reached'],
    [
      'goes over another router',
      measured({ from: { host: 'lr-05', via: '10.62.8.9', link: 'eno1', mtu: 1500 } }),
      trace(),
      'lr-05 sends it over 10.62.8.9; by the plan over 10.62.8.1.',
    ],
    [
      'goes straight to the link',
      measured({ from: { host: 'lr-05', via: null, link: 'eno1', mtu: 1500 } }),
      trace(),
      'lr-05 sends it straight to its link; by the plan over 10.62.8.1.',
    ],
    [
      'has a link that carries less',
      measured({ from: { host: 'lr-05', via: '10.62.8.1', link: 'eno1', mtu: 1400 } }),
      trace(),
      'eno1 of lr-05 carries 1,400 bytes; by the plan 1,500.',
    ],
    ['of this server carries less', measured({ from: null, pathMtu: 1400 }), trace(), 'By the plan 1,500 bytes pass'],
  ])('%s', (_, m, t, said) => {
    expect(differs(m, t)).toEqual([expect.stringContaining(said)]);
  });
});
