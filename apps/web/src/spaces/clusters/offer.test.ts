import { describe, expect, it } from 'vitest';
import { leaveOf } from '../../state/may.ts';
import { offerBuild } from './offer.ts';

const offer = (role: 'reader' | 'planner' | 'builder' | 'warden', stops = 0, pending = false) =>
  offerBuild(leaveOf({ login: 'x', role, sites: {}, teams: [] }), stops, pending);

describe('a build', () => {
  it.each(['builder', 'warden'] as const)('is offered to a %s when nothing stops it', (role) =>
    expect(offer(role)).toEqual({ disabled: false, why: '' }),
  );
  it.each(['reader', 'planner'] as const)('is not offered to a %s, who is told why', (role) =>
    expect(offer(role)).toEqual({ disabled: true, why: 'takes the role builder' }),
  );
  it('is not offered while findings stop it, nor twice', () => {
    expect(offer('warden', 1)).toEqual({ disabled: true, why: '1 finding stops it' });
    expect(offer('warden', 2).why).toBe('2 findings stop it');
    expect(offer('warden', 0, true).disabled).toBe(true);
  });
});
