/** Something named with its bytes, one of many in a stream: `<name> <length>\n`, then so many bytes. */
export interface Frame {
  /** Printable ASCII without line breaks, at most 400 characters. */
  name: string;
  body: Buffer;
}
export interface FrameLimits {
  /** Frames of one stream at most. */
  frames: number;
  /** Bytes of one body at most. */
  bytes: number;
}
const longest = 420;

/** The bytes of frames, to be sent one after the other. */
export const framed = (frames: readonly Frame[]): Buffer =>
  Buffer.concat(frames.flatMap((f) => [Buffer.from(`${f.name} ${f.body.length}\n`, 'latin1'), f.body]));

/**
 * Frames out of a stream, whatever pieces it comes in. @throws Error that says what is wrong with it: no frame, too many,
 * one that is too long, or an end in the middle of one
 */
export async function* framesOf(stream: AsyncIterable<Uint8Array>, limits: FrameLimits): AsyncGenerator<Frame> {
  let rest: Buffer = Buffer.alloc(0);
  let open: { name: string; length: number } | undefined;
  let count = 0;
  for await (const piece of stream) {
    rest = rest.length ? Buffer.concat([rest, piece]) : Buffer.from(piece);
    for (;;) {
      if (!open) {
        const end = rest.indexOf(10);
        if (end < 0 && rest.length < longest) break;
        open = headOf(rest, end, limits);
        if (++count > limits.frames) throw new Error(`more than ${limits.frames} frames in one stream`);
        rest = rest.subarray(end + 1);
      }
      if (rest.length < open.length) break;
      yield { name: open.name, body: rest.subarray(0, open.length) };
      rest = rest.subarray(open.length);
      open = undefined;
    }
  }
  if (open || rest.length) throw new Error('the stream ends in the middle of a frame');
}

function headOf(rest: Buffer, end: number, limits: FrameLimits): { name: string; length: number } {
  const head = /^([\x20-\x7e]{1,400}) (\d{1,9})$/.exec(rest.toString('latin1', 0, end < 0 ? longest : end));
  if (!head) throw new Error('the stream holds something that is no frame');
  const length = Number(head[2]);
  if (length > limits.bytes) throw new Error(`a frame of ${length} bytes, of at most ${limits.bytes}`);
  return { name: head[1] as string, length };
}
