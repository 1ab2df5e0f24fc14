import { describe, expect, it } from 'vitest';
import { host } from '../../test/estate.ts';
import type { Host } from '../model/index.ts';
import { actsOn, doTo, type HostAct, rules } from './index.ts';

const ask = { fits: true };
const held = { charter: 'plover', role: 'worker' as const };
const wiped = { at: '2026-11-20T09:00:00Z', by: 'builder', drives: ['bay 1: erased'] };
const after = (more: Partial<Host>, act: HostAct, a: { fits: boolean; carries?: string } = ask) => {
  const s = doTo(host(1, more), act, a);
  return 'refused' in s ? s.refused : s.host;
};

describe('states of a host', () => {
  it('go from sighted to retired by the whole way', () => {
    let h = host(1, { state: 'listed' });
    const step = (act: HostAct, more: Partial<Host> = {}) => {
      const s = doTo({ ...h, ...more }, act, ask);
      if ('refused' in s) throw new Error(s.refused);
      h = s.host;
      return h.state;
    };
    expect(step('measure')).toBe('fit');
    expect(step('hold', { held })).toBe('held');
    expect(step('serve')).toBe('serving');
    expect(step('drain')).toBe('serving');
    expect(step('give-back')).toBe('resting');
    expect(h.held).toBeUndefined();
    expect(h.drained).toBeUndefined();
    expect(step('wipe', { wiped })).toBe('fit');
    expect(step('retire')).toBe('retired');
    expect(step('bring-back')).toBe('fit');
  });
  it.each([
    ['retire', { state: 'serving' }, 'it is serving; retire is for what is listed or fit or resting'],
    ['retire', { state: 'resting' }, 'its drives still hold what it served; wipe them first'],
    ['give-back', { state: 'serving', held }, 'it serves and is not drained: what runs on it would be lost'],
    ['wipe', { state: 'resting' }, 'there is no proof that its drives were wiped'],
    ['hold', { state: 'listed', facts: undefined }, 'its facts have not been read'],
    ['hold', { state: 'resting' }, 'it is resting; hold is for what is listed or fit or held'],
    ['serve', { state: 'fit' }, 'it is fit; serve is for what is held or serving'],
    ['drain', { state: 'serving', drained: true }, 'it is marked as drained already'],
  ] as [HostAct, Partial<Host>, string][])('%s of %j is refused: %s', (act, more, why) => {
    expect(after(more, act)).toBe(why);
  });
  it('what carries something cannot leave', () => {
    expect(after({ state: 'fit' }, 'retire', { fits: true, carries: 'the registry lr-registry' })).toBe(
      'it carries the registry lr-registry',
    );
  });
  it('an unfit host is only listed, whatever it comes from', () => {
    for (const r of rules.filter((x) => x.to(host(1), { fits: false }) === 'listed')) {
      const state = r.from[0] as Host['state'];
      expect(after({ state, held, wiped, drained: true }, r.act, { fits: false })).toMatchObject({ state: 'listed' });
    }
  });
  it('offers people what may be done, with why not', () => {
    expect(actsOn(host(1, { state: 'serving', held }), ask)).toEqual([
      { act: 'drain', label: 'Mark as drained' },
      { act: 'undrain', label: 'Back to work', refused: 'it is not drained' },
      { act: 'give-back', label: 'Give back', refused: 'it serves and is not drained: what runs on it would be lost' },
    ]);
    expect(actsOn(host(1, { state: 'sighted' }), ask)).toEqual([]);
  });
});
