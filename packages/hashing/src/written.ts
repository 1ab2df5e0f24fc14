import type { FileHandle } from 'node:fs/promises';
import type { Hashing } from './hashing.ts';

const piece = 1_048_576;

/**
 * Appends a stream to an open file and hashes it beside, a megabyte at a time: while one is written and hashed, the next
 * arrives. What comes drop by drop is written five times a second. What arrived before a fault is written before it is
 * thrown, so that it can be gone on with. Answers the bytes that were appended.
 */
export async function writeHashed(
  file: FileHandle,
  bytes: AsyncIterable<Buffer>,
  hash: Hashing | undefined,
  onBytes: (n: number) => void = () => undefined,
): Promise<number> {
  let waiting: Buffer[] = [];
  let size = 0;
  let total = 0;
  let writing: Promise<unknown> = Promise.resolve();
  const flush = () => {
    if (!size) return;
    // A copy of their own, since the other thread takes them away; and one write instead of many.
    const own = Buffer.allocUnsafeSlow(size);
    let at = 0;
    for (const w of waiting) at += w.copy(own, at);
    waiting = [];
    size = 0;
    writing = writing.then(() => file.writev([own])).then(() => hash?.update(own));
    writing.catch(() => undefined);
  };
  const idle = setInterval(flush, 200);
  try {
    for await (const chunk of bytes) {
      waiting.push(chunk);
      size += chunk.length;
      total += chunk.length;
      onBytes(chunk.length);
      if (size >= piece) {
        await writing;
        flush();
      }
    }
  } finally {
    clearInterval(idle);
    flush();
    await writing;
  }
  return total;
}
