import { createHash } from 'node:crypto';
import { mkdtemp, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import { BundleManifest, bundleFile, bundleLimits, PartObserved } from '@praesidor/core/bundles';
import type { Doc } from '@praesidor/core/model';
import {
  ArchiveRefused,
  type Signed,
  signatureFile,
  signerOf,
  signManifest,
  type SigningKey,
  type TrustedKey,
  unpack,
} from '@praesidor/shipping';
import { pack } from 'tar-stream';
import { z } from 'zod';
import type { Context } from '../../context.ts';
import { Refusal } from '../../refusal.ts';

/** A bundle as it is carried: an archive (POSIX.1-2001 tar, gzip) of a manifest, a signature over it, and the files that it names. */
export interface BundleFiles {
  manifest: Omit<BundleManifest, 'files'>;
  /** Path and content, besides manifest and signature. */
  files: Map<string, Buffer>;
}
export interface OpenBundle {
  manifest: BundleManifest;
  signed: Signed;
  documents: Doc[];
  observed: PartObserved;
  files: Map<string, Buffer>;
}
export const digest = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');
const zip = promisify(gzip);

/** Writes and signs it. */
export async function closeBundle({ manifest, files }: BundleFiles, by: SigningKey): Promise<Buffer> {
  const list = [...files].map(([path, content]) => ({ path, bytes: content.length, sha256: digest(content) }));
  const text = Buffer.from(`${JSON.stringify({ ...manifest, files: list } satisfies BundleManifest, null, 2)}\n`);
  const tar = pack();
  const put = (name: string, content: Buffer) => tar.entry({ name, mode: 0o644, mtime: new Date(0), uid: 0, gid: 0 }, content);
  put(bundleFile.manifest, text);
  put(signatureFile, Buffer.from(`${JSON.stringify(signManifest(text, by, 'bundle'))}\n`));
  for (const [path, content] of files) put(path, content);
  tar.finalize();
  const pieces: Buffer[] = [];
  for await (const piece of tar) pieces.push(piece as Buffer);
  return zip(Buffer.concat(pieces));
}

const refused = (why: string, remedy?: string) =>
  new Refusal('invalid', `The bundle is refused: ${why}.`, remedy ? { remedy } : {});

/**
 * Reads and verifies a bundle: nothing in it is believed before its signature and every digest hold. Whether the one who signed is trusted, and
 * whether it is for this installation, is for the caller. @throws Refusal that says what is wrong with it
 */
export async function openBundle(ctx: Context, content: Buffer, trusted: readonly TrustedKey[]): Promise<OpenBundle> {
  const aside = await mkdtemp(join(tmpdir(), 'bundle-'));
  try {
    try {
      await unpack(Readable.from([content]), aside, { ...bundleLimits, expansion: 100 });
    } catch (e) {
      throw e instanceof ArchiveRefused ? refused(e.message) : e;
    }
    const read = (path: string) => readFile(join(aside, path)).catch(() => undefined);
    const text = await read(bundleFile.manifest);
    if (!text) throw refused(`it has no ${bundleFile.manifest}`, 'A case of images is taken in under Images.');
    const signature = await read(signatureFile);
    if (!signature) throw refused('nobody has signed it');
    const signed = signerOf(text, signature, trusted, 'bundle');
    if (signed.state === 'wrong') throw refused(signed.why, 'It was changed after it was made. Have it made again.');
    const manifest = parsed(bundleFile.manifest, text, BundleManifest);
    const files = new Map<string, Buffer>();
    for (const f of manifest.files) {
      const bytes = await read(f.path);
      if (!bytes || digest(bytes) !== f.sha256)
        throw refused(
          `${f.path} ${bytes ? 'is not the file that was signed' : 'is missing'}`,
          'Copy it again, or have it made again.',
        );
      files.set(f.path, bytes);
    }
    const observed = parsed(bundleFile.observed, files.get(bundleFile.observed), PartObserved);
    const written = files.get(bundleFile.documents);
    if (!written) throw refused(`it has no ${bundleFile.documents}`);
    const { docs, faults } = await ctx.compute.run('readDocuments', {
      text: written.toString('utf8'),
      file: bundleFile.documents,
    });
    const [fault] = faults;
    if (fault)
      throw refused(
        `${fault.file}, line ${fault.line}: ${fault.message}`,
        'It was made by another version of Praesidor: bring both installations to the same one.',
      );
    return { manifest, signed, documents: docs.map((d) => d.doc), observed, files };
  } finally {
    await rm(aside, { recursive: true, force: true });
  }
}

function parsed<T extends z.ZodType>(path: string, bytes: Buffer | undefined, schema: T): z.output<T> {
  let raw: unknown;
  try {
    raw = JSON.parse(bytes?.toString('utf8') ?? '');
  } catch {
    throw refused(`${path} cannot be read`);
  }
  const r = schema.safeParse(raw);
  if (!r.success) throw refused(`${path} cannot be read: ${z.prettifyError(r.error).split('\n')[0]}`);
  return r.data;
}
