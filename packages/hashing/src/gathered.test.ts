import { PassThrough, Readable } from 'node:stream';
import { setImmediate as turn } from 'node:timers/promises';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { gathered } from './gathered.ts';

const list = async (from: AsyncIterable<Buffer>) => {
  const out: Buffer[] = [];
  for await (const b of from) out.push(b);
  return out;
};

describe('a stream gathered into larger pieces', () => {
  it('has the same bytes, in pieces of the size asked for and one that may be smaller', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.uint8Array({ minLength: 1, maxLength: 50 }), { maxLength: 60 }),
        fc.integer({ min: 1, max: 200 }),
        async (chunks, least) => {
          const bytes = chunks.map((c) => Buffer.from(c));
          const got = await list(gathered(Readable.from(bytes, { objectMode: false }), least, 10_000));
          expect(Buffer.concat(got).equals(Buffer.concat(bytes))).toBe(true);
          for (const p of got.slice(0, -1)) expect(p.length).toBeGreaterThanOrEqual(least);
        },
      ),
      { numRuns: 60 },
    );
  });
  it('goes on with little when more does not come', async () => {
    const stream = new PassThrough();
    const pieces = gathered(stream, 1000, 5);
    stream.write(Buffer.alloc(10));
    expect((await pieces.next()).value).toHaveLength(10);
    stream.end(Buffer.alloc(7));
    expect((await pieces.next()).value).toHaveLength(7);
    expect((await pieces.next()).done).toBe(true);
  });
  it('gives what arrived before it throws what went wrong', async () => {
    const stream = new PassThrough();
    const pieces = gathered(stream, 1000, 10_000);
    stream.write(Buffer.alloc(10));
    const first = pieces.next();
    await turn();
    stream.destroy(new Error('closed in the middle'));
    expect((await first).value).toHaveLength(10);
    await expect(pieces.next()).rejects.toThrow('closed in the middle');
  });
  it('holds little more than a piece while nobody takes, and lets go of the stream when nobody wants the rest', async () => {
    let given = 0;
    const stream = new Readable({
      highWaterMark: 100,
      read() {
        given += 100;
        this.push(Buffer.alloc(100));
      },
    });
    const pieces = gathered(stream, 1000, 10_000);
    expect((await pieces.next()).value).toHaveLength(1000);
    for (let i = 0; i < 50; i++) await turn();
    // One piece taken, one gathered, and what the stream holds itself.
    expect(given).toBeLessThanOrEqual(2000 + 300);
    await pieces.return(undefined);
    expect(stream.destroyed).toBe(true);
  });
});
