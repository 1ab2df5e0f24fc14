import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Echoes } from './echoes.ts';

describe('what is typed and handed down again', () => {
  it('is no news, however late it comes and whatever is left out', () => {
    const e = new Echoes('a');
    e.sent('ab');
    e.sent('abc');
    expect(e.news('ab')).toBe(false);
    expect(e.newest).toBe('abc');
    expect(e.news('abc')).toBe(false);
  });
  it('is news where somebody else wrote it, also when it is what stood before', () => {
    const e = new Echoes('a');
    e.sent('ab');
    expect(e.news('x')).toBe(true);
    expect(e.newest).toBe('x');
    e.sent('xy');
    expect(e.news('xy')).toBe(false);
    // The draft is discarded.
    expect(e.news('x')).toBe(true);
  });
  it('what was typed is shown until others write, and in the end what is handed down is what is shown: property', () => {
    // `type` sends a value, `draw` hands down one that was sent, never an older one than before, `write` is somebody else.
    const step = fc.oneof(
      fc.record({ what: fc.constant('type' as const), value: fc.string({ maxLength: 3 }) }),
      fc.record({ what: fc.constant('draw' as const), skip: fc.nat(3) }),
      fc.record({ what: fc.constant('write' as const), value: fc.string({ minLength: 4, maxLength: 6 }) }),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 30 }), (steps) => {
        const e = new Echoes('');
        let shown = '';
        let under: string[] = [];
        const draw = (value: string) => {
          if (e.news(value)) shown = value;
        };
        for (const s of steps) {
          if (s.what === 'type') {
            // Who types changes something, or the editor says nothing.
            if (s.value === shown) continue;
            shown = s.value;
            e.sent(shown);
            under.push(shown);
          } else if (s.what === 'draw') {
            const before = shown;
            under = under.slice(Math.min(s.skip, under.length - 1));
            const next = under.shift();
            if (next !== undefined) draw(next);
            expect(shown).toBe(before);
          } else {
            under = [];
            draw(s.value);
            expect(shown).toBe(s.value);
          }
        }
        const last = under.at(-1);
        if (last !== undefined) {
          draw(last);
          expect(shown).toBe(last);
        }
      }),
    );
  });
});
