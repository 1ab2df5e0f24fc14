import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { kinds } from './documents.ts';
import { partOfField, partsOf, wholeHost } from './host-parts.ts';

const full = kinds.Host.parse({
  kind: 'Host',
  name: 'lr-02',
  site: 'lr',
  unit: 4,
  bmc: { address: '10.62.7.12', credential: 'bmc-lr' },
  state: 'serving',
  held: { charter: 'plover', role: 'worker' },
  drained: true,
  wiped: { at: '2026-11-01T00:00:00Z', by: 'bo', drives: [] },
  facts: {
    at: '2026-11-20T09:00:00Z',
    source: 'bmc',
    maker: 'Harrow Works',
    model: 'HW-220',
    serial: 'S1',
    arch: 'x86-64',
    cores: 16,
    memoryGiB: 64,
    disks: [],
    nics: [],
    firmware: { bmc: '1', system: '1' },
    bootMode: 'UEFI',
    power: 'On',
  },
});

describe('the parts of a host', () => {
  it('are what is declared, what acts came to, and what was read', () => {
    const { plan, state, facts } = partsOf(full);
    expect(Object.keys(plan).sort()).toEqual(['apiVersion', 'bmc', 'kind', 'name', 'site', 'unit']);
    expect(Object.keys(state).sort()).toEqual(['drained', 'held', 'state', 'wiped']);
    expect(facts).toEqual(full.facts);
  });
  it('make the same host again, whatever of it is there; a field is in the part that it is said to be in', () => {
    const optional = ['unit', 'bmc', 'held', 'drained', 'wiped', 'facts'] as const;
    fc.assert(
      fc.property(fc.subarray([...optional]), (without) => {
        const host = Object.fromEntries(Object.entries(full).filter(([k]) => !without.includes(k as never))) as typeof full;
        const parts = partsOf(host);
        expect(wholeHost(parts)).toEqual(host);
        for (const field of Object.keys(host)) {
          const part = partOfField(field);
          expect(part === 'facts' ? parts.facts !== undefined : field in parts[part]).toBe(true);
        }
      }),
    );
  });
});
