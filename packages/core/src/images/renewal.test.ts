import { describe, expect, it } from 'vitest';
import { renewalDue } from './index.ts';

describe('a certificate is to be renewed', () => {
  it.each([
    // A year: thirty days before its end.
    ['2026-01-01T00:00:00Z', '2027-01-01T00:00:00Z', '2026-12-02T00:00:00.000Z'],
    // Nine days: a third of them, three, before its end.
    ['2026-11-01T00:00:00Z', '2026-11-10T00:00:00Z', '2026-11-07T00:00:00.000Z'],
    // 90 days are the border: a third is thirty.
    ['2026-01-01T00:00:00Z', '2026-04-01T00:00:00Z', '2026-03-02T00:00:00.000Z'],
    // One that ends before it begins is due at its end.
    ['2026-11-10T00:00:00Z', '2026-11-01T00:00:00Z', '2026-11-01T00:00:00.000Z'],
  ])('from %s until %s: at %s', (notBefore, notAfter, due) => {
    expect(renewalDue({ notBefore, notAfter })).toBe(due);
  });
});
