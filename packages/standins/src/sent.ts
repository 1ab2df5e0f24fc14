import { createHash } from 'node:crypto';
import { extract } from 'tar-stream';

/** What somebody sent to a program on a machine: a tar's files by their names. */
export async function filesIn(bytes: Buffer): Promise<Map<string, string>> {
  const files = new Map<string, string>();
  const tar = extract();
  tar.end(bytes);
  for await (const entry of tar) {
    const pieces: Buffer[] = [];
    for await (const piece of entry) pieces.push(piece as Buffer);
    files.set(entry.header.name, Buffer.concat(pieces).toString());
  }
  return files;
}

/** Whether every file is as the list of checksums beside them says (sha256sum(1)). */
export const isWhole = (files: ReadonlyMap<string, string>): boolean =>
  (files.get('SHA256SUMS') ?? '?')
    .split('\n')
    .filter(Boolean)
    .every((line) => {
      const [sum, name = ''] = line.split('  ');
      return (
        createHash('sha256')
          .update(files.get(name) ?? '')
          .digest('hex') === sum
      );
    });
