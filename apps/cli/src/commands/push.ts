import { createHash } from 'node:crypto';
import { createReadStream, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { z } from 'zod';
import { bytesText } from '@praesidor/core/words';
import { parseReference } from '@praesidor/core/images';
import { words } from '@praesidor/core/model';
import { hasBlob, pushBlob, putManifest, type RegistryAt } from '@praesidor/protocols/oci';
import { Unusable } from '../estate.ts';
import type { Asked } from '../options.ts';
import { needRegistry } from '../registry.ts';

const Descriptor = z.object({
  digest: words.Digest,
  size: z.number().int().nonnegative(),
  mediaType: z.string().max(200),
});
const Index = z.object({ manifests: z.array(Descriptor).length(1, 'it holds another number of images than one') });
const Manifest = z.object({ config: Descriptor, layers: z.array(Descriptor).max(1000) });

/** @throws Unusable with what cannot be read, and why */
function read<T>(path: string, schema: z.ZodType<T>): { value: T; body: Buffer } {
  let body: Buffer;
  try {
    if (statSync(path).size > 4_000_000) throw new Error('it has more than 4 MB');
    body = readFileSync(path);
  } catch (e) {
    throw new Unusable(`${path} cannot be read: ${(e as Error).message}`);
  }
  let json: unknown;
  try {
    json = JSON.parse(body.toString('utf8'));
  } catch {
    throw new Unusable(`${path} is no JSON`);
  }
  const parsed = schema.safeParse(json);
  if (!parsed.success)
    throw new Unusable(`${path}: ${parsed.error.issues[0]?.path.join('.')} ${parsed.error.issues[0]?.message}`);
  return { value: parsed.data, body };
}

/**
 * One image of an OCI image layout (OCI image-layout 1.0) to a registry, under a name: what `npm run system` makes, for example.
 * What is there is not sent again; every digest is verified, by us before the manifest goes, and by the registry.
 */
export async function push(asked: Asked, write: (text: string) => void): Promise<number> {
  const [dir = '', name = ''] = asked.words;
  const file = (digest: string) => join(dir, 'blobs/sha256', digest.slice('sha256:'.length));
  const { value: index } = read(join(dir, 'index.json'), Index);
  const [top] = index.manifests as [z.infer<typeof Descriptor>];
  const { value: manifest, body } = read(file(top.digest), Manifest);
  if (`sha256:${createHash('sha256').update(body).digest('hex')}` !== top.digest)
    throw new Unusable(`the manifest in ${dir} does not have its digest`);
  const r = needRegistry(asked);
  try {
    const ref = parseReference(`${r.at.endpoint}/${name}`);
    if (!ref.tag) throw new Unusable(`${name}: a repository and a tag are needed, such as core/system:1.34.2`);
    let sent = 0;
    for (const blob of new Map([manifest.config, ...manifest.layers].map((d) => [d.digest, d])).values())
      sent += (await sendBlob(r.at, ref.repository, file(blob.digest), blob)) ? blob.size : 0;
    await putManifest(r.at, ref.repository, ref.tag, top.mediaType, body);
    const said = { image: `${r.at.endpoint}/${ref.repository}:${ref.tag}`, digest: top.digest, sentBytes: sent };
    write(
      asked.options.json
        ? `${JSON.stringify(said, null, 2)}\n`
        : `${said.image} is ${said.digest}; ${sent ? `${bytesText(sent)} were sent` : 'all of its layers were there'}.\n`,
    );
    return 0;
  } finally {
    await r.close();
  }
}

/** Whether it had to be sent. @throws Unusable when the file is another than was said @throws ProtocolError */
async function sendBlob(
  r: RegistryAt,
  repository: string,
  path: string,
  { digest, size }: { digest: string; size: number },
): Promise<boolean> {
  let there: number;
  try {
    there = statSync(path).size;
  } catch {
    throw new Unusable(`the layer ${digest.slice(0, 19)} is not in the layout: ${path}`);
  }
  if (there !== size) throw new Unusable(`${path} has ${there} bytes, and its manifest says ${size}`);
  if (await hasBlob(r, repository, digest)) return false;
  await pushBlob(r, repository, digest, size, (from) => createReadStream(path, { start: from }));
  return true;
}
