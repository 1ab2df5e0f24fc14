import type { FileHandle } from 'node:fs/promises';
import { Readable } from 'node:stream';
import { gathered } from './gathered.ts';
import type { Hashing } from './hashing.ts';

/**
 * Appends a stream to an open file and hashes it beside, piece by piece: while one is written and hashed, the next
 * arrives. What comes drop by drop is written a few times a second. What arrived before a fault is written before it is
 * thrown, so that it can be gone on with. Answers the bytes that were appended.
 *
 * A stream is gathered into pieces that both processor caches hold; of anything else the pieces are taken as they are.
 * With a `hash` they are taken away: a piece that fills its memory must not be used by whoever gave it.
 */
export async function writeHashed(
  file: FileHandle,
  bytes: AsyncIterable<Buffer>,
  hash: Hashing | undefined,
  onBytes: (n: number) => void = () => undefined,
): Promise<number> {
  let total = 0;
  let writing: Promise<unknown> = Promise.resolve();
  try {
    for await (const piece of bytes instanceof Readable ? gathered(bytes) : bytes) {
      total += piece.length;
      onBytes(piece.length);
      await writing;
      writing = file.writev([piece]).then(() => hash?.update(own(piece)));
      writing.catch(() => undefined);
    }
  } finally {
    await writing;
  }
  return total;
}

/** In memory of its own, so that it can be given to another thread. */
function own(piece: Buffer): Buffer {
  if (piece.length === piece.buffer.byteLength) return piece;
  const copy = Buffer.allocUnsafeSlow(piece.length);
  piece.copy(copy);
  return copy;
}
