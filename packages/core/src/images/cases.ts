/** Bytes `from` to `to` (exclusive) of a blob; the whole of it, where that is all of them. */
export interface Piece {
  digest: string;
  from: number;
  to: number;
}
export interface PlannedCase {
  /** From 1, as it is written on the medium. */
  number: number;
  bytes: number;
  pieces: Piece[];
}
export interface CasePlan {
  cases: PlannedCase[];
  bytes: number;
  /** Fewer cases than this cannot hold it, whoever packs them. */
  bound: number;
}

/**
 * Blobs into cases of `caseBytes`, of which `overhead` bytes are kept in each for what describes it: first fit,
 * largest first (Johnson 1973), the place found in a tree of what is left. A blob larger than a case fills cases
 * of its own, and its last part travels with the others. The same blobs always give the same cases.
 *
 *     splitIntoCases([{ digest: a, bytes: 6 }, { digest: b, bytes: 5 }, { digest: c, bytes: 4 }], 10)
 *     // 1: a and c, 2: b; bound 2, since 15 bytes do not go into one case of 10
 *
 * @throws RangeError when a case holds nothing but its own description
 */
export function splitIntoCases(blobs: readonly { digest: string; bytes: number }[], caseBytes: number, overhead = 0): CasePlan {
  const room = Math.floor(caseBytes) - overhead;
  if (!(room > 0))
    throw new RangeError(`a case of ${caseBytes} bytes holds nothing beside its own description of ${overhead} bytes`);
  const full: Piece[] = [];
  const rest: Piece[] = [];
  for (const b of [...blobs].sort((x, y) => (x.digest < y.digest ? -1 : 1))) {
    let at = 0;
    while (b.bytes - at > room) {
      full.push({ digest: b.digest, from: at, to: at + room });
      at += room;
    }
    rest.push({ digest: b.digest, from: at, to: b.bytes });
  }
  const size = (p: Piece) => p.to - p.from;
  rest.sort((x, y) => size(y) - size(x) || (x.digest < y.digest ? -1 : 1));
  const filled: Piece[][] = [];
  const left = new Room(rest.length, room);
  for (const p of rest) {
    const n = left.first(size(p));
    left.take(n, size(p));
    (filled[n] ??= []).push(p);
  }
  const cases = [...full.map((p) => [p]), ...filled].map((pieces, i) => ({
    number: i + 1,
    bytes: pieces.reduce((n, p) => n + size(p), 0),
    pieces,
  }));
  return {
    cases,
    bytes: cases.reduce((n, c) => n + c.bytes, 0),
    bound: full.length + leastBins(rest.map(size), room),
  };
}

/** What is left in each of n bins, as a tree of the most that is left below: the first bin with room in log n steps. */
class Room {
  private readonly leaves: number;
  private readonly most: Float64Array;
  constructor(n: number, room: number) {
    this.leaves = 2 ** Math.ceil(Math.log2(Math.max(1, n)));
    this.most = new Float64Array(2 * this.leaves).fill(room);
  }
  first(size: number): number {
    let node = 1;
    while (node < this.leaves) node = (this.most[2 * node] as number) >= size ? 2 * node : 2 * node + 1;
    return node - this.leaves;
  }
  take(bin: number, size: number): void {
    let node = bin + this.leaves;
    this.most[node] = (this.most[node] as number) - size;
    while (node > 1) {
      node >>= 1;
      this.most[node] = Math.max(this.most[2 * node] as number, this.most[2 * node + 1] as number);
    }
  }
}

/**
 * The least number of bins of `room` that can hold these sizes (each at most `room`): the sum, sharpened by
 * counting those that cannot share a bin (Martello and Toth 1990, L2). `sizes` largest first.
 */
export function leastBins(sizes: readonly number[], room: number): number {
  const n = sizes.length;
  const sum = new Float64Array(n + 1);
  for (let i = 0; i < n; i++) sum[i + 1] = (sum[i] as number) + (sizes[i] as number);
  let best = Math.ceil((sum[n] as number) / room);
  const halves = upTo(sizes, (s) => s > room / 2);
  for (let i = halves; i < n; i++) {
    const k = sizes[i] as number;
    // Larger than room − k: alone. Above half: one bin each, into whose rest those from k on may go.
    const alone = upTo(sizes, (s) => s > room - k);
    const middle = halves - alone;
    const spare = middle * room - ((sum[halves] as number) - (sum[alone] as number));
    const small = (sum[i + 1] as number) - (sum[halves] as number);
    best = Math.max(best, alone + middle + Math.max(0, Math.ceil((small - spare) / room)));
  }
  return Math.max(best, halves);
}

/** How many at the beginning of a list satisfy what only a beginning of it can satisfy. */
function upTo(sizes: readonly number[], holds: (s: number) => boolean): number {
  let low = 0;
  let high = sizes.length;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (holds(sizes[mid] as number)) low = mid + 1;
    else high = mid;
  }
  return low;
}
