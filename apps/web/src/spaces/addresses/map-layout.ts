/** Where the cells of a map lie: rows of cells, or blocks of 64 points each when there are many. */
export interface MapLayout {
  width: number;
  height: number;
  /** Cells a row, for moving up and down with the keyboard. */
  row: number;
  /** The size of one cell. */
  cell: { w: number; h: number };
  /** Left edge and top of a cell. */
  place: (i: number) => { x: number; y: number };
  /** The cell at a point; -1 between cells. */
  hit: (x: number, y: number) => number;
  /** Cells that begin a row, with what to write beside it. */
  labels: { cell: number; y: number }[];
  points: boolean;
}

const gutter = 56;
const gap = 2;

export function layoutOf(count: number, width: number): MapLayout {
  return count <= 1024 ? rows(count, width) : blocks(count, width);
}

function rows(count: number, width: number): MapLayout {
  const row = count > 256 ? 64 : 32;
  const pitch = (width - gutter) / row;
  const h = count > 256 ? 14 : 21;
  const lines = Math.ceil(count / row);
  return {
    width,
    height: lines * h,
    row,
    cell: { w: pitch - gap, h: h - gap },
    place: (i) => ({ x: gutter + (i % row) * pitch, y: Math.floor(i / row) * h }),
    hit: (x, y) => {
      const column = Math.floor((x - gutter) / pitch);
      const i = Math.floor(y / h) * row + column;
      return column >= 0 && column < row && y >= 0 && i >= 0 && i < count ? i : -1;
    },
    labels: Array.from({ length: lines }, (_, l) => ({ cell: l * row, y: l * h })),
    points: false,
  };
}

/** Blocks of 64 addresses, 8 by 8, so that a /26 is one square and a /24 four beside each other. */
function blocks(count: number, width: number): MapLayout {
  const across = count > 16_384 ? 32 : 16;
  const pitch = (width - gutter) / across;
  const point = (pitch - 3) / 8;
  const lines = Math.ceil(count / 64 / across);
  return {
    width,
    height: lines * pitch,
    row: 8,
    cell: { w: Math.max(1, point - (point > 3 ? 1 : 0.4)), h: Math.max(1, point - (point > 3 ? 1 : 0.4)) },
    place: (i) => {
      const block = Math.floor(i / 64);
      const inside = i % 64;
      return {
        x: gutter + (block % across) * pitch + (inside % 8) * point,
        y: Math.floor(block / across) * pitch + Math.floor(inside / 8) * point,
      };
    },
    hit: (x, y) => {
      const column = Math.floor((x - gutter) / pitch);
      const line = Math.floor(y / pitch);
      if (x < gutter || column >= across || y < 0) return -1;
      const px = Math.floor((x - gutter - column * pitch) / point);
      const py = Math.floor((y - line * pitch) / point);
      if (px > 7 || py > 7) return -1;
      const i = (line * across + column) * 64 + py * 8 + px;
      return i < count ? i : -1;
    },
    labels: Array.from({ length: lines }, (_, l) => ({ cell: l * across * 64, y: l * pitch })),
    points: true,
  };
}
