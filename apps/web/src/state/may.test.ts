import { describe, expect, it } from 'vitest';
import { acts, type ActName, roles } from '@praesidor/core/access';
import { leaveOf } from './may.ts';

describe('what is offered', () => {
  it.each(roles)('to a %s is what the server lets a person of that role do', (role) => {
    const { may, why } = leaveOf({ login: 'x', role, sites: {}, teams: [] });
    for (const act of Object.keys(acts) as ActName[]) {
      const able = roles.indexOf(role) >= roles.indexOf(acts[act].role);
      expect([act, may(act), why(act)]).toEqual([act, able, able ? '' : `takes the role ${acts[act].role}`]);
    }
  });
  it('to nobody is nothing', () => expect(leaveOf(undefined).may('plan.read')).toBe(false));
});
