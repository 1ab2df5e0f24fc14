import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../test/estate.ts';
import { buildSteps } from '../changes/index.ts';
import { mendPlace } from '../schedule/mend.ts';
import { resolve } from '../charter/resolve.ts';
import type { Charter, Estate, Registry } from '../model/index.ts';
import { check } from './index.ts';

const registry = (fault: string): Estate => {
  const e = goodEstate();
  const seen = e.observed.registries['lr-registry'];
  return {
    ...e,
    registries: e.registries.map((r) => (r.name === 'lr-registry' ? { ...r, credential: 'lr-registry' } : r)),
    keys: [...e.keys, { name: 'lr-registry', use: 'registry', places: ['Registry lr-registry'] }],
    observed: {
      ...e.observed,
      registries: { ...e.observed.registries, 'lr-registry': { ...(seen as object), error: 'it fails', fault } as never },
    },
  };
};
const remedyOf = (e: Estate, code: string) => check(e).findings.find((f) => f.code === code)?.remedy;

describe('what cannot be looked at leads to what mends it', () => {
  it.each([
    ['credentials', '/keyring?change=lr-registry'],
    ['kept-back', '/keyring?change=lr-registry'],
    ['trust', '/images/rules?registry=lr-registry'],
    ['name', '/images/rules?registry=lr-registry'],
    ['unresolved', '/declare?edit=Site%20lr'],
    ['full', '/images/clean-up?registry=lr-registry'],
    ['digest', '/images/clean-up?registry=lr-registry'],
    ['silent', '/declare?edit=Registry%20lr-registry'],
    ['refused', '/declare?edit=Registry%20lr-registry'],
  ])('a registry with the fault %s', (fault, path) => {
    expect(remedyOf(registry(fault), 'IMG-005')?.act).toEqual({ kind: 'open', path });
  });
  it('a source has no certificate of ours to renew: its CA is declared', () => {
    const e = registry('trust');
    const source = { ...(e.registries.find((r) => r.role === 'source') as Registry) };
    const seen = { at: '', digests: [], error: 'it fails', fault: 'trust' };
    const with_ = { ...e, observed: { ...e.observed, registries: { [source.name]: seen } } };
    expect(remedyOf(with_, 'IMG-005')?.act).toEqual({ kind: 'open', path: `/declare?edit=Registry%20${source.name}` });
  });
  it('a zone whose key is refused', () => {
    const e = goodEstate();
    const zone = e.zones[0] as (typeof e.zones)[number];
    const seen = { at: '', serial: 0, records: [], error: 'it refuses the key', fault: 'credentials' };
    expect(remedyOf({ ...e, observed: { ...e.observed, zones: { [zone.name]: seen } } }, 'DNS-007')?.label).toBe(
      `Change ${zone.key}`,
    );
  });
});

describe('a failed step leads to where it is mended', () => {
  const e = goodEstate();
  const plan = resolve(e.charters[0] as Charter, e);
  it('every step of a build has a page', () => {
    for (const step of buildSteps(plan, e)) {
      const { label, go } = mendPlace(step, plan);
      expect([step.kind, go]).toEqual([
        step.kind,
        expect.stringMatching(
          /^\/(hosts(\/[a-z]+-\d+|\/hypervisors)?|addresses\/names|images(\?registry=[\w-]+)?|clusters\/plover(\?(tab|field)=[\w.]+)?)$/,
        ),
      ]);
      expect(label).toMatch(/^(Open|Where) /);
    }
  });
  it('a step of a host leads to that host', () => {
    const power = buildSteps(plan, e).find((s) => s.kind === 'power');
    expect(power && mendPlace(power, plan).go).toBe(`/hosts/${power?.host}`);
  });
});
