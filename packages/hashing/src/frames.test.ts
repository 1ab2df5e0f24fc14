import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Frame, framed, framesOf } from './frames.ts';

const limits = { frames: 100, bytes: 1000 };
async function* inPieces(bytes: Buffer, cuts: readonly number[]) {
  let at = 0;
  for (const c of [...cuts].sort((a, b) => a - b)) {
    yield bytes.subarray(at, c);
    at = c;
  }
  yield bytes.subarray(at);
}
const read = async (stream: AsyncIterable<Uint8Array>, most = limits) => {
  const out: Frame[] = [];
  for await (const f of framesOf(stream, most)) out.push({ name: f.name, body: Buffer.from(f.body) });
  return out;
};

describe('frames', () => {
  it('come out as they went in, whatever pieces they travel in', async () => {
    const frame = fc.record({
      name: fc.string({ unit: fc.constantFrom(...'ab/:. 19-'), minLength: 1, maxLength: 60 }),
      body: fc.uint8Array({ maxLength: 300 }).map((b) => Buffer.from(b)),
    });
    await fc.assert(
      fc.asyncProperty(fc.array(frame, { maxLength: 20 }), fc.array(fc.nat(3000), { maxLength: 30 }), async (frames, cuts) => {
        const bytes = framed(frames);
        expect(
          await read(
            inPieces(
              bytes,
              cuts.map((c) => Math.min(c, bytes.length)),
            ),
          ),
        ).toEqual(frames);
      }),
      { numRuns: 200 },
    );
  });

  it('are `<name> <length>` in a line, then the bytes', () => {
    expect(framed([{ name: 'core/api sha256:0', body: Buffer.from('abc') }]).toString()).toBe('core/api sha256:0 3\nabc');
  });

  it.each([
    ['a 3\nab', 'ends in the middle'],
    ['a 3', 'ends in the middle'],
    ['a 3\n', 'ends in the middle'],
    ['a\n', 'no frame'],
    ['a -1\n', 'no frame'],
    ['a\tb 1\nx', 'no frame'],
    ['a 1001\n', '1001 bytes'],
    [`${'x'.repeat(500)}`, 'no frame'],
    [`${'x'.repeat(401)} 1\nx`, 'no frame'],
    ['a 0\n'.repeat(101), 'more than 100'],
  ])('%j is refused', async (text, why) => {
    await expect(read(inPieces(Buffer.from(text), []))).rejects.toThrow(why);
  });
});
