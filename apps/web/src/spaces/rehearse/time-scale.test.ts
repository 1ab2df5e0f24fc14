import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { scaleOf } from './time-scale.ts';

describe('a scale of moments', () => {
  const scale = scaleOf([0, 50_000, 370_000, 371_000, 730_000]);
  it('begins at nought, keeps the order, and has what never ends at its end', () => {
    const places = [0, 50_000, 370_000, 730_000, undefined].map(scale.at);
    expect(places[0]).toBe(0);
    expect(places.at(-1)).toBe(1);
    expect([...places].sort((a, b) => a - b)).toEqual(places);
    expect(new Set(places).size).toBe(places.length);
  });
  it('has a tick for each moment that is far enough from the one before', () => {
    expect(scale.ticks.map((t) => t.text)).toEqual(['0', '50 s', '6 min 10 s', '12 min 10 s']);
  });
  it('never has two that run into each other', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 90_000_000 }), { maxLength: 12 }), (moments) => {
        const { ticks } = scaleOf(moments);
        // A letter is 7.5 pixels wide, the line 600.
        const half = (text: string) => (text.length * 7.5) / 600 / 2;
        for (const [i, t] of ticks.entries()) {
          const before = ticks[i - 1];
          if (before) expect(t.at - half(t.text)).toBeGreaterThan(before.at + half(before.text));
          expect(t.at + half(t.text)).toBeLessThanOrEqual(1);
        }
      }),
    );
  });
  it('is one where nothing happens', () => {
    expect(scaleOf([]).ticks).toEqual([{ at: 0, text: '0' }]);
    expect(scaleOf([]).at(undefined)).toBe(1);
  });
});
