import { createHash } from 'node:crypto';
import type { Readable } from 'node:stream';
import { ProtocolError } from '../dial/index.ts';
import { ask, bad, type RegistryAt } from './session.ts';

export interface Descriptor {
  mediaType: string;
  digest: string;
  size: number;
  annotations?: Record<string, string>;
  platform?: { architecture: string; os: string };
}
export interface Manifest {
  mediaType: string;
  digest: string;
  body: Buffer;
  json: { manifests?: Descriptor[]; config?: Descriptor; layers?: Descriptor[]; annotations?: Record<string, string> };
}

const accept = ['application/vnd.oci.image.index.v1+json', 'application/vnd.oci.image.manifest.v1+json'].join(', ');
const digestPattern = /^sha256:[0-9a-f]{64}$/;

/** Logs in, reads nothing. */
export async function ping(r: RegistryAt): Promise<void> {
  const a = await ask(r, { path: '/v2/' });
  if (a.status !== 200) await bad(r, a, 'its front door');
  await a.body.dump();
}

/** A manifest or index, its digest computed from the bytes and, where asked for by digest, compared. */
export async function getManifest(r: RegistryAt, repository: string, reference: string): Promise<Manifest> {
  const a = await ask(r, { path: `/v2/${repository}/manifests/${reference}`, headers: { accept } });
  if (a.status !== 200) return bad(r, a, `${repository}:${reference}`);
  const chunks: Buffer[] = [];
  let size = 0;
  try {
    for await (const c of a.body) {
      size += (c as Buffer).length;
      if (size > 4_194_304) throw new ProtocolError('answer', r.endpoint, `the manifest of ${repository} is larger than 4 MiB`);
      chunks.push(c as Buffer);
    }
  } catch (cause) {
    throw ProtocolError.from(cause, r.endpoint);
  }
  const body = Buffer.concat(chunks);
  const digest = `sha256:${createHash('sha256').update(body).digest('hex')}`;
  if (reference.startsWith('sha256:') && reference !== digest)
    throw new ProtocolError('digest', r.endpoint, `the manifest of ${repository} does not have the digest ${reference}`);
  let json: Manifest['json'];
  try {
    json = JSON.parse(body.toString('utf8')) as Manifest['json'];
  } catch {
    throw new ProtocolError('answer', r.endpoint, `the manifest of ${repository} is not JSON`);
  }
  for (const d of [...(json.manifests ?? []), ...(json.layers ?? []), ...(json.config ? [json.config] : [])]) {
    if (!digestPattern.test(d?.digest) || !Number.isSafeInteger(d.size) || d.size < 0)
      throw new ProtocolError(
        'answer',
        r.endpoint,
        `the manifest of ${repository} has a descriptor without a good digest and size`,
      );
  }
  return { mediaType: String(a.headers['content-type'] ?? ''), digest, body, json };
}

export async function putManifest(
  r: RegistryAt,
  repository: string,
  reference: string,
  mediaType: string,
  body: Buffer,
): Promise<void> {
  const a = await ask(r, {
    method: 'PUT',
    path: `/v2/${repository}/manifests/${reference}`,
    headers: { 'content-type': mediaType },
    body,
  });
  if (a.status !== 201) await bad(r, a, `putting ${repository}:${reference.slice(0, 19)}`);
  await a.body.dump();
}

/** @throws ProtocolError when it answers neither yes nor no */
export async function hasBlob(r: RegistryAt, repository: string, digest: string): Promise<boolean> {
  const a = await ask(r, { method: 'HEAD', path: `/v2/${repository}/blobs/${digest}` });
  if (a.status !== 200 && a.status !== 404) return bad(r, a, `${repository} ${digest.slice(0, 19)}`);
  await a.body.dump();
  return a.status === 200;
}

/** The digest that a name or digest stands for, or undefined where there is none. */
export async function hasManifest(r: RegistryAt, repository: string, reference: string): Promise<string | undefined> {
  const a = await ask(r, { method: 'HEAD', path: `/v2/${repository}/manifests/${reference}`, headers: { accept } });
  if (a.status !== 200 && a.status !== 404) return bad(r, a, `${repository}:${reference}`);
  await a.body.dump();
  return a.status === 200 ? String(a.headers['docker-content-digest'] ?? '') : undefined;
}

/** Takes a name away, or by its digest a manifest with all its names. False: it was not there. */
export async function deleteManifest(r: RegistryAt, repository: string, reference: string): Promise<boolean> {
  const a = await ask(r, { method: 'DELETE', path: `/v2/${repository}/manifests/${reference}` });
  if (a.status !== 202 && a.status !== 404) return bad(r, a, `deleting ${repository}:${reference.slice(0, 19)}`);
  await a.body.dump();
  return a.status === 202;
}

/** Names of a repository, page by page. */
export async function tagsOf(r: RegistryAt, repository: string): Promise<string[]> {
  const out: string[] = [];
  for (let path = `/v2/${repository}/tags/list?n=1000`; path; ) {
    const a = await ask(r, { path });
    if (a.status !== 200) return bad(r, a, `the names of ${repository}`);
    out.push(...(((await a.body.json()) as { tags?: string[] }).tags ?? []));
    const link = /<([^>]+)>;\s*rel="next"/.exec(String(a.headers.link ?? ''))?.[1];
    path = link?.startsWith('/v2/') && out.length < 100_000 ? link : '';
  }
  return out;
}

/** A blob's bytes from `from` on, up to `to` (exclusive). The caller verifies them. */
export async function readBlob(r: RegistryAt, repository: string, digest: string, from = 0, to?: number): Promise<Readable> {
  const a = await ask(r, {
    path: `/v2/${repository}/blobs/${digest}`,
    ...(from || to !== undefined ? { headers: { range: `bytes=${from}-${to === undefined ? '' : to - 1}` } } : {}),
  });
  if (a.status !== (from || to !== undefined ? 206 : 200)) return bad(r, a, `${repository} ${digest.slice(0, 19)}`);
  return a.body;
}

/** Has the blob held by another repository of the same registry counted for this one too. */
export async function mountBlob(r: RegistryAt, repository: string, digest: string, from: string): Promise<boolean> {
  const a = await ask(r, {
    method: 'POST',
    path: `/v2/${repository}/blobs/uploads/?mount=${digest}&from=${encodeURIComponent(from)}`,
  });
  if (a.status !== 201 && a.status !== 202) return bad(r, a, `linking ${digest.slice(0, 19)} into ${repository}`);
  await a.body.dump();
  if (a.status === 201) return true;
  // It could not, and opened an upload instead, as the standard has it: nobody will fill that one.
  const location = String(a.headers.location ?? '');
  if (location.startsWith('/v2/')) await (await ask(r, { method: 'DELETE', path: location })).body.dump();
  return false;
}
