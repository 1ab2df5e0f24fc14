/**
 * Bytes that are read for somebody else to send, with what went wrong in reading them. A stream that is destroyed throws
 * its error into the generator that feeds it, at the place where that gave its last piece: caught there, a connection
 * that broke on the far side would look like a medium that cannot be read. So only the reading itself is listened to.
 */
export class Reading {
  /** What the last reading ended with; undefined: nothing was wrong with what was read. */
  fault: unknown;

  /** @example `pushBlob(to, …, (from) => reading.of(open(from)))`, then `if (reading.fault) …` */
  async *of(bytes: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
    this.fault = undefined;
    const from = bytes[Symbol.asyncIterator]();
    try {
      for (;;) {
        let next: IteratorResult<Buffer>;
        try {
          next = await from.next();
        } catch (e) {
          this.fault = e;
          throw e;
        }
        if (next.done) return;
        yield next.value;
      }
    } finally {
      await from.return?.();
    }
  }
}
