import { once } from 'node:events';
import { Readable } from 'node:stream';
import { setImmediate as turn } from 'node:timers/promises';
import { describe, expect, it } from 'vitest';
import { Reading } from './reading.ts';

/** As a sender does it: a generator that counts what passes, made a stream that the connection drains and may destroy. */
function sent(reading: Reading, bytes: AsyncIterable<Buffer>) {
  let passed = 0;
  async function* counted() {
    for await (const chunk of reading.of(bytes)) {
      passed += chunk.length;
      yield chunk;
    }
  }
  return { stream: Readable.from(counted(), { highWaterMark: 1 }), passed: () => passed };
}

describe('what is read for somebody else', () => {
  it('has no fault of its own when the connection that takes it breaks, and is let go of', async () => {
    const reading = new Reading();
    let closed = false;
    async function* endless() {
      try {
        for (;;) {
          await turn();
          yield Buffer.alloc(10);
        }
      } finally {
        closed = true;
      }
    }
    const { stream, passed } = sent(reading, endless());
    stream.resume();
    while (passed() < 30) await turn();
    const broke = once(stream, 'error');
    stream.destroy(new Error('the connection was closed'));
    expect(((await broke) as Error[])[0]?.message).toBe('the connection was closed');
    while (!closed) await turn();
    expect(reading.fault).toBeUndefined();
  });
  it('keeps what went wrong in reading, and forgets it when it is read again', async () => {
    const reading = new Reading();
    async function* torn() {
      yield Buffer.alloc(10);
      throw new Error('the medium was taken out');
    }
    await expect(sent(reading, torn()).stream.toArray()).rejects.toThrow('taken out');
    expect((reading.fault as Error).message).toBe('the medium was taken out');
    async function* whole() {
      yield Buffer.alloc(10);
    }
    expect(await sent(reading, whole()).stream.toArray()).toHaveLength(1);
    expect(reading.fault).toBeUndefined();
  });
});
