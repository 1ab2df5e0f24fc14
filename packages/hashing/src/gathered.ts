import type { Readable } from 'node:stream';

/**
 * A stream in pieces of `least` bytes and more, the last one excepted. TLS hands over 16 kB at a time, and on the way to
 * the other end each piece costs as much as a large one. What comes slowly is not waited for: every `timeoutMs` whatever
 * there is goes on. What arrived before a fault is given before the fault is thrown. Whoever stops taking pieces ends the
 * stream with that, unless it is to be left: a request can be answered then.
 */
export async function* gathered(
  stream: Readable,
  least = 262_144,
  timeoutMs = 250,
  whenLeft: 'destroy' | 'leave' = 'destroy',
): AsyncGenerator<Buffer> {
  let waiting: Buffer[] = [];
  let size = 0;
  let over = false;
  let fault: unknown;
  let due = false;
  let wake = () => {};
  const end = (e?: unknown) => {
    over = true;
    fault ??= e;
    wake();
  };
  const take = (chunk: Buffer) => {
    waiting.push(chunk);
    size += chunk.length;
    if (size < least) return;
    stream.pause();
    wake();
  };
  stream
    .on('data', take)
    .once('end', () => end())
    .once('error', end)
    .once('close', () => end())
    // Somebody before us may have paused it.
    .resume();
  const timer = setInterval(() => {
    due = size > 0;
    if (due) wake();
  }, timeoutMs);
  try {
    for (;;) {
      while (!over && !due && size < least)
        await new Promise<void>((done) => {
          wake = done;
        });
      if (!size) {
        if (fault !== undefined) throw fault;
        return;
      }
      const [first] = waiting;
      const piece = waiting.length === 1 ? (first as Buffer) : Buffer.concat(waiting, size);
      waiting = [];
      size = 0;
      due = false;
      // The next piece gathers while this one is taken.
      if (!over) stream.resume();
      yield piece;
    }
  } finally {
    clearInterval(timer);
    if (!over && whenLeft === 'leave') stream.off('data', take).pause();
    else if (!over) stream.destroy();
  }
}
