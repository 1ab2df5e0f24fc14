import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { resolve } from '../charter/index.ts';
import { type Charter, kinds } from '../model/index.ts';
import { comparedServices, type SeenService } from './published.ts';

const estate = goodEstate();
const charter = kinds.Charter.parse({
  ...estate.charters[0],
  servicePool: {
    range: '10.62.8.64-10.62.8.79',
    announce: 'arp',
    services: [
      { name: 'archive', port: 443 },
      { name: 'planner', namespace: 'desk', address: '10.62.8.70' },
    ],
  },
}) as Charter;
// archive has the first of the pool, .64.
const plan = resolve(charter, { ...estate, charters: [charter] });
const seen = (name: string, addresses: string[], more: Partial<SeenService> = {}): SeenService => ({
  namespace: 'default',
  name,
  addresses,
  ports: [{ port: 443, nodePort: 30_443, protocol: 'TCP' }],
  behind: 1,
  ...more,
});
const of = (...list: SeenService[]) => comparedServices(plan, list).map((s) => `${s.namespace}/${s.name} ${s.standing}`);
const text = (...list: SeenService[]) => comparedServices(plan, list).map((s) => s.text);
const planner = seen('planner', ['10.62.8.70'], { namespace: 'desk' });

describe('services of a cluster beside its plan', () => {
  it('are as planned where they answer at the address that they were given', () => {
    expect(of(seen('archive', ['10.62.8.64']), planner)).toEqual(['default/archive as-planned', 'desk/planner as-planned']);
    expect(text(seen('archive', ['10.62.8.64']), planner)).toEqual([undefined, undefined]);
  });
  it.each<[string, SeenService[], string[], RegExp]>([
    ['not made yet', [planner], ['default/archive absent', 'desk/planner as-planned'], /address is kept until somebody makes it/],
    [
      'without an address',
      [seen('archive', []), planner],
      ['default/archive waits', 'desk/planner as-planned'],
      /of type LoadBalancer/,
    ],
    [
      'at another address',
      [seen('archive', ['10.62.8.71']), planner],
      ['default/archive other', 'desk/planner as-planned'],
      /look for it at 10\.62\.8\.64, and it answers at 10\.62\.8\.71/,
    ],
    [
      'of another namespace, which is another service and has its address',
      [seen('archive', ['10.62.8.64'], { namespace: 'desk' }), planner],
      ['default/archive absent', 'desk/planner as-planned', 'desk/archive takes'],
      /address is kept/,
    ],
    [
      'with nobody behind',
      [seen('archive', ['10.62.8.64'], { behind: 0 }), planner],
      ['default/archive as-planned', 'desk/planner as-planned'],
      /No ready pod/,
    ],
  ])('%s', (_, list, standing, why) => {
    expect(of(...list)).toEqual(standing);
    expect(text(...list)[0]).toMatch(why);
  });
  it('that nobody planned are told apart: by turn, set by hand, at a port of nodes, and at an address of another', () => {
    const rest = (s: SeenService) => comparedServices(plan, [s]).at(-1);
    expect(rest(seen('tide', ['10.62.8.66']))).toMatchObject({
      standing: 'not-planned',
      text: expect.stringContaining('by turn'),
    });
    expect(rest(seen('tide', ['10.99.0.1']))).toMatchObject({
      standing: 'not-planned',
      text: expect.stringContaining('not of the pool'),
    });
    expect(rest(seen('tide', []))).toMatchObject({ standing: 'not-planned', text: 'It is reached at 30443 of every node.' });
    expect(rest(seen('tide', ['10.62.8.70']))).toMatchObject({
      standing: 'takes',
      text: expect.stringContaining('planned for desk/planner'),
    });
  });
  it('at ports of the nodes are held against the ports that were planned', () => {
    const at = resolve(
      { ...charter, nodePorts: [{ name: 'ais', namespace: 'default', port: 30_443, protocol: 'tcp' }] },
      { ...estate, charters: [charter] },
    );
    const ais = (...list: SeenService[]) => {
      const row = comparedServices(at, list).find((s) => s.name === 'ais');
      return [row?.standing, row?.port, row?.text];
    };
    expect(ais(seen('ais', []))).toEqual(['as-planned', 30_443, undefined]);
    expect(ais()).toEqual(['absent', 30_443, expect.stringContaining('no such service')]);
    expect(ais(seen('ais', [], { ports: [{ port: 443, nodePort: 30_444, protocol: 'TCP' }] }))).toEqual([
      'other',
      30_443,
      expect.stringContaining('port 30443 of a node, and it answers at 30444'),
    ]);
    // The same number of another protocol is another port.
    expect(ais(seen('ais', [], { ports: [{ port: 443, nodePort: 30_443, protocol: 'UDP' }] }))[0]).toBe('waits');
    expect(ais(seen('ais', [], { behind: 0 }))).toEqual(['as-planned', 30_443, expect.stringContaining('No ready pod')]);
  });
  it('leave out what comes in from outside, whose address the plan has for itself', () => {
    expect(of(seen('inbound-router', [plan.inbound.address], { namespace: 'kube-system' }))).not.toContain(
      'kube-system/inbound-router not-planned',
    );
  });
});
