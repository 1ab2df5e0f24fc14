import { createHash, randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { bundled } from '../bundle.ts';

/**
 * What the transfer process runs, as one script with only what it needs of us, laid into `dir`: with the loader and all of its
 * modules it would take 75 MB before it carries a byte. Made once, when it is first needed. Answers the file's path.
 */
export async function program(dir: string): Promise<string> {
  const text = await bundled(fileURLToPath(new URL('./main.ts', import.meta.url)));
  const path = join(dir, `transfer-${createHash('sha256').update(text).digest('hex').slice(0, 12)}.cjs`);
  if (existsSync(path)) return path;
  await mkdir(dir, { recursive: true, mode: 0o700 });
  // Servers that share the folder may begin at once, and so may two shipments of one: each lays it whole.
  const temporary = `${path}.${randomUUID()}`;
  await writeFile(temporary, text, { mode: 0o600 });
  await rename(temporary, path);
  return path;
}
