import { pack } from 'tar-stream';
import { sha256 } from './areas/clusters/kit.ts';

/** What a program of ours on another machine reads over SSH: a tar of files, and their checksums last. */
export async function tarOf(files: readonly { name: string; content: string; mode: string }[]): Promise<Buffer> {
  const tar = pack();
  for (const { name, content, mode } of files)
    tar.entry({ name, mode: Number.parseInt(mode, 8), mtime: new Date(0), uid: 0, gid: 0 }, content);
  tar.entry({ name: 'SHA256SUMS' }, files.map((f) => `${sha256(f.content)}  ${f.name}\n`).join(''));
  tar.finalize();
  const pieces: Buffer[] = [];
  for await (const piece of tar) pieces.push(piece as Buffer);
  return Buffer.concat(pieces);
}
