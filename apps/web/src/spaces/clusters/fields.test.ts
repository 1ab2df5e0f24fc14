import { describe, expect, it } from 'vitest';
import { goodEstate } from '../../../../../packages/core/test/estate.ts';
import { type Charter, keysAt, kinds } from '@praesidor/core/model';
import { followedPaths } from '@praesidor/core/charter';
import { at, fields, optionsOf, withValue } from './fields.ts';

const charter = goodEstate().charters[0] as Charter;

describe('the fields of the sheet', () => {
  it.each(fields.map((f) => [f.label, f.path] as const))('%s is a field of the charter', (_, path) => {
    // Each step of the path is a name that the schema allows there: a slip here would be refused at saving.
    path.forEach((key, i) => {
      expect(keysAt(kinds.Charter, path.slice(0, i))).toContain(key);
    });
  });
  it('offer only what is declared at the site', () => {
    const estate = goodEstate();
    const options = (label: string) => {
      const f = fields.find((x) => x.label === label);
      return f && optionsOf(f, estate, charter);
    };
    expect(options('Mirror')).toEqual(['lr-registry']);
    expect(options('Machine')).toEqual(['lr-machine']);
    expect(options('Release')).toEqual(['1.34.2']);
  });
});

it('what follows is known of every field that follows', () => {
  expect(fields.filter((f) => f.follows && !followedPaths.includes(f.path.join('.'))).map((f) => f.label)).toEqual([]);
});

describe('setting a value', () => {
  it('gives a copy, and leaves the rest the same object', () => {
    const next = withValue(charter, ['overlay', 'mtu'], 1400);
    expect(at(next, ['overlay', 'mtu'])).toBe(1400);
    expect(charter.overlay.mtu).toBeUndefined();
    expect(next.pods).toBe(charter.pods);
  });
  it('makes what is not there, and takes out what is unset', () => {
    const { servicePool: _, ...bare } = charter;
    expect(withValue(bare as Charter, ['servicePool', 'range'], '10.62.8.64/28').servicePool).toEqual({ range: '10.62.8.64/28' });
    expect('mtu' in withValue(withValue(charter, ['overlay', 'mtu'], 1400), ['overlay', 'mtu'], undefined).overlay).toBe(false);
  });
  it('there and back is the same document', () => {
    for (const f of fields) expect(withValue(withValue(charter, f.path, 'x'), f.path, at(charter, f.path))).toEqual(charter);
  });
});
