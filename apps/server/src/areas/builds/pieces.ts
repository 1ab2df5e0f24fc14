/** What is served in ranges and never lies in one place: bytes that were computed, blobs of a registry, zeros. */
export interface Piece {
  size: number;
  /** Bytes `from` to `to` of this piece. */
  read: (from: number, to: number) => AsyncIterable<Uint8Array> | Iterable<Uint8Array>;
}

export const bytesOf = (bytes: Uint8Array): Piece => ({ size: bytes.length, read: (from, to) => [bytes.subarray(from, to)] });
const zeros = new Uint8Array(65_536);
export const zerosOf = (size: number): Piece => ({
  size,
  *read(from, to) {
    for (let at = from; at < to; at += zeros.length) yield zeros.subarray(0, Math.min(zeros.length, to - at));
  },
});
export const sizeOf = (pieces: readonly Piece[]): number => pieces.reduce((n, p) => n + p.size, 0);

/** Bytes `from` to `to` of pieces that follow one another. */
export async function* readPieces(pieces: readonly Piece[], from = 0, to = sizeOf(pieces)): AsyncGenerator<Uint8Array> {
  let at = 0;
  for (const piece of pieces) {
    const [first, last] = [Math.max(from - at, 0), Math.min(to - at, piece.size)];
    if (first < last) yield* piece.read(first, last);
    at += piece.size;
    if (at >= to) return;
  }
}

/**
 * The part of `size` bytes that a Range header asks for (RFC 9110 §14.1.2; one range, in bytes). `whole`: it asks for no part, or for
 * one that may be answered with everything; `none`: there is no such part.
 *
 * @example
 * rangeOf('bytes=-2', 10) // { from: 8, to: 10 }
 */
export function rangeOf(header: string | undefined, size: number): { from: number; to: number } | 'whole' | 'none' {
  const asked = /^bytes=(\d*)-(\d*)$/.exec(header ?? '');
  const [, first = '', last = ''] = asked ?? [];
  if (!asked || (!first && !last)) return 'whole';
  if (!first) return Number(last) === 0 ? 'none' : { from: Math.max(0, size - Number(last)), to: size };
  const from = Number(first);
  const to = last ? Math.min(Number(last) + 1, size) : size;
  if (last && Number(last) < from) return 'whole';
  return from >= size ? 'none' : { from, to };
}
