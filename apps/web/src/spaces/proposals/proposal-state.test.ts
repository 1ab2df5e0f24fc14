import { describe, expect, it } from 'vitest';
import { stateOf } from './proposal-state.ts';

const at = '2026-11-27T10:00:00Z';
const p = (more: object) => ({ state: 'open' as const, closedBy: null, asks: null, approvals: [], writers: ['rosa'], ...more });

describe('how a proposal stands', () => {
  it.each([
    ['open where nobody asks for a second person', p({}), 'open', false, false],
    ['waiting for whoever did not write it', p({ asks: 'the site aft' }), 'waits for a second person', false, true],
    [
      'waiting as long as what was approved is something else',
      p({ asks: 'the site aft', approvals: [{ by: 'joao', at, holds: false }] }),
      'waits for a second person',
      false,
      true,
    ],
    [
      'approved, and its writer’s to make',
      p({ asks: 'the site aft', approvals: [{ by: 'joao', at, holds: true }] }),
      'approved by joao',
      true,
      false,
    ],
    ['over', p({ state: 'made', closedBy: 'joao' }), 'made by joao', false, false],
    ['over without', p({ state: 'withdrawn', closedBy: 'rosa' }), 'withdrawn by rosa', false, false],
  ])('is %s', (_, one, text, hers, his) => {
    expect([stateOf(one, 'rosa').text, stateOf(one, 'rosa').yours, stateOf(one, 'joao').yours]).toEqual([text, hers, his]);
  });
});
