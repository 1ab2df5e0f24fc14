import { describe, expect, it } from 'vitest';
import { allOf, line } from '../src/areas/builds/measures.ts';

describe('a line of the proof', () => {
  it('of all holds for all, and never for none', () => {
    expect([allOf('x', 3, 3, []).good, allOf('x', 2, 3, []).good, allOf('x', 0, 0, []).good]).toEqual([true, false, false]);
    expect(allOf('x', 0, 0, [])).toMatchObject({ planned: 'at least one', found: 'none' });
  });
  it.each([
    ['6 of 6', '6 of 6', true],
    ['6 of 6', '5 of 6', false],
    ['10.62.8.20', '', false],
    ['', '', true],
  ])('that planned %j and found %j holds: %j', (planned, found, good) => {
    expect(line('nodes ready', planned, found, ['asked the API'])).toMatchObject({
      what: 'nodes ready',
      planned,
      found,
      good,
      evidence: ['asked the API'],
    });
  });
});
