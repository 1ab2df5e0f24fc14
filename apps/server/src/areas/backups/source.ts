import { PassThrough } from 'node:stream';
import { once } from 'node:events';
import type { BlockOf, Source } from '@praesidor/backups';
import { blockBytes } from '@praesidor/core/backup';
import { ProtocolError } from '@praesidor/protocols/dial';
import { runOver, type SshAt } from '@praesidor/protocols/ssh';
import { tarOf } from '../../tar-of.ts';

const asked = (verb: string, path: string, more: { name: string; content: string; mode: string }[] = []) =>
  tarOf([{ name: 'volume', content: `${verb} ${path}\n`, mode: '0644' }, ...more]);
const fileOf = (n: number) => `x${String(n).padStart(8, '0')}`;
/** A host tells nothing while it reads what is not wanted: a disk may take its time. */
const silentMs = 600_000;

/** @throws ProtocolError with what the program said where it ended otherwise than well */
function ended(at: SshAt, { code, errors }: { code: number | undefined; errors: string }): void {
  if (code === 0) return;
  const old = /no files came/.test(errors);
  throw new ProtocolError(
    code === 66 ? 'missing' : 'answer',
    at.host,
    old
      ? 'its kit is of an earlier version, which does not read volumes: apply changes to its cluster first'
      : errors || `its program ended with ${code ?? 'a signal'}`,
  );
}

/** What a host writes, in blocks: each is full but the last. */
async function* blocksOver(at: SshAt, input: Buffer, signal?: AbortSignal): AsyncGenerator<Buffer> {
  const out = new PassThrough({ highWaterMark: blockBytes });
  const run = runOver(at, 'volume', input, {
    bytes: (piece) => (out.write(piece) ? undefined : once(out, 'drain').then(() => undefined)),
    silentMs,
    ...(signal ? { signal } : {}),
  })
    .then((how) => {
      ended(at, how);
      out.end();
    })
    .catch((e: Error) => void out.destroy(e));
  let pieces: Buffer[] = [];
  let size = 0;
  for await (const piece of out as AsyncIterable<Buffer>) {
    let rest = piece;
    while (size + rest.length >= blockBytes) {
      const cut = blockBytes - size;
      yield Buffer.concat([...pieces, rest.subarray(0, cut)]);
      rest = rest.subarray(cut);
      pieces = [];
      size = 0;
    }
    pieces.push(rest);
    size += rest.length;
  }
  if (size) yield Buffer.concat(pieces);
  await run;
}

/** A folder of a host as an archive (pax, POSIX.1-2001), read over SSH by the program of its kit: digests are made there, and only what is wanted travels. */
export const hostSource = (at: SshAt, path: string): Source => ({
  all: async function* (signal) {
    yield* blocksOver(at, await asked('all', path), signal);
  },
  blocks: async (signal) => {
    const out: BlockOf[] = [];
    const how = await runOver(at, 'volume', await asked('list', path), {
      line: (l) => {
        const [, bytes, sha256 = ''] = /^block (\d+) ([0-9a-f]{64})$/.exec(l) ?? [];
        if (bytes) out.push({ n: out.length, bytes: Number(bytes), sha256 });
      },
      silentMs,
      ...(signal ? { signal } : {}),
    });
    ended(at, how);
    return out;
  },
  read: async function* (wanted, signal) {
    if (!wanted.length) return;
    const list = wanted.map((b) => `${fileOf(b.n)}\n`).join('');
    const input = await asked('read', path, [{ name: 'wanted', content: list, mode: '0644' }]);
    // The last block of a volume is shorter than others: what comes is cut as it was told.
    let next = 0;
    let rest: Buffer = Buffer.alloc(0);
    for await (const bytes of blocksOver(at, input, signal)) {
      rest = rest.length ? Buffer.concat([rest, bytes]) : bytes;
      for (let b = wanted[next]; b && rest.length >= b.bytes; b = wanted[++next]) {
        yield { n: b.n, bytes: rest.subarray(0, b.bytes) };
        rest = rest.subarray(b.bytes);
      }
    }
    if (next < wanted.length || rest.length)
      throw new ProtocolError('digest', at.host, `${path} has other blocks than it had when it was told: somebody writes to it`);
  },
});

/** What a program of an earlier kit says of an archive that is none of files. */
const unknownThere = /SHA256SUMS|what came is not whole|no files came/;

/**
 * Puts an archive in the place of what a folder of a host has, over SSH by the program of its kit.
 *
 * @throws ProtocolError; what the folder has then is neither what it had nor what it was to have
 */
export async function writeOver(at: SshAt, path: string, archive: AsyncIterable<Buffer>, signal?: AbortSignal): Promise<void> {
  const head = Buffer.alloc(512);
  head.write(`write volume ${path}\n`);
  async function* all() {
    yield head;
    yield* archive;
  }
  const how = await runOver(at, 'volume', all(), { line: () => undefined, silentMs, ...(signal ? { signal } : {}) });
  if (how.code === 65 && unknownThere.test(how.errors))
    throw new ProtocolError(
      'answer',
      at.host,
      'its kit is of an earlier version, which does not write volumes: apply changes to its cluster first',
    );
  ended(at, how);
}
