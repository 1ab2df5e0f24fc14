import { describe, expect, it } from 'vitest';
import { layoutOf } from './map-layout.ts';

describe('where the cells of a map lie', () => {
  // A /26 to a /16, and what is no power of two: below and above 256, 1024 and 16,384 cells the drawing changes.
  it.each([1, 30, 62, 254, 256, 257, 1022, 1024, 1025, 4094, 16_384, 16_385, 65_536])(
    'of %i: the middle of each is that cell, and none lies outside',
    (count) => {
      const l = layoutOf(count, 880);
      const step = Math.max(1, Math.floor(count / 997));
      for (let i = 0; i < count; i += step) {
        const { x, y } = l.place(i);
        expect(l.hit(x + l.cell.w / 2, y + l.cell.h / 2)).toBe(i);
        expect(x).toBeGreaterThanOrEqual(0);
        expect(x + l.cell.w).toBeLessThanOrEqual(l.width);
        expect(y + l.cell.h).toBeLessThanOrEqual(l.height);
      }
    },
  );
  it.each([62, 1024, 65_536])('of %i: beside, above and below it there is none', (count) => {
    const l = layoutOf(count, 880);
    for (const [x, y] of [
      [10, 5],
      [879.9 + 50, 5],
      [100, -1],
      [100, l.height + 40],
    ] as const)
      expect(l.hit(x, y), `${x}, ${y}`).toBe(-1);
    const last = l.place(count - 1);
    expect(l.hit(last.x + l.cell.w / 2, last.y + l.cell.h / 2)).toBe(count - 1);
  });
  it('a row that is not full ends with its last cell', () => {
    const l = layoutOf(30, 880);
    const after = layoutOf(31, 880).place(30);
    expect(l.hit(after.x + 1, after.y + 1)).toBe(-1);
  });
  it('each row says where it begins', () => {
    // 254 cells in rows of 32: 8 rows. 65,536 in blocks of 64, 32 across: 32 rows of blocks.
    expect(layoutOf(254, 880).labels.map((x) => x.cell)).toEqual([0, 32, 64, 96, 128, 160, 192, 224]);
    const large = layoutOf(65_536, 880);
    expect(large.labels).toHaveLength(32);
    expect(large.labels[1]?.cell).toBe(32 * 64);
    expect(large.labels[1]?.y).toBe(large.place(32 * 64).y);
  });
});
