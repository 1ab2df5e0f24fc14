import { createHash } from 'node:crypto';
import type { Readable } from 'node:stream';
import { askJson, type Dialer, ProtocolError, type Target, type Trust } from '../dial/index.ts';

/** A registry as seen from here: an OCI distribution 1.1 endpoint with optional credentials. */
export interface RegistryAt {
  dialer: Dialer;
  endpoint: string;
  trust?: Trust;
  user?: string;
  password?: string;
  signal?: AbortSignal;
}
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

export function targetOf(r: RegistryAt): Target {
  const [host = '', port] = r.endpoint.split(':');
  return { host, port: Number(port ?? 443), tls: true, ...(r.trust ? { trust: r.trust } : {}) };
}
const headers = (r: RegistryAt): Record<string, string> =>
  r.user ? { authorization: `Basic ${Buffer.from(`${r.user}:${r.password ?? ''}`).toString('base64')}` } : {};
const ask = (r: RegistryAt, o: Parameters<Dialer['ask']>[1]) =>
  r.dialer.ask(targetOf(r), { ...o, headers: { ...headers(r), ...o.headers }, ...(r.signal ? { signal: r.signal } : {}) });

async function bad(r: RegistryAt, status: number, body: { text: () => Promise<string> }, what: string): Promise<never> {
  const text = (await body.text().catch(() => '')).slice(0, 2000);
  let said = '';
  try {
    said = (JSON.parse(text) as { errors?: { message?: string }[] }).errors?.[0]?.message ?? '';
  } catch {
    /* not JSON: the status says enough */
  }
  const fault =
    status === 401 || status === 403
      ? 'credentials'
      : status === 404
        ? 'missing'
        : status === 507
          ? 'full'
          : status === 429 || status === 503
            ? 'busy'
            : 'answer';
  throw new ProtocolError(fault, r.endpoint, `${what}: ${said || `it answered ${status}`}`, status);
}

/** Logs in, reads nothing. */
export async function ping(r: RegistryAt): Promise<void> {
  await askJson(r.dialer, targetOf(r), { path: '/v2/', headers: headers(r), ...(r.signal ? { signal: r.signal } : {}) });
}

/** A manifest or index, its digest computed from the bytes and, where asked for by digest, compared. */
export async function getManifest(r: RegistryAt, repository: string, reference: string): Promise<Manifest> {
  const a = await ask(r, { path: `/v2/${repository}/manifests/${reference}`, headers: { accept } });
  if (a.status !== 200) return bad(r, a.status, a.body, `${repository}:${reference}`);
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
  if (a.status !== 201) await bad(r, a.status, a.body, `putting ${repository}:${reference.slice(0, 19)}`);
  await a.body.dump();
}

export async function hasBlob(r: RegistryAt, repository: string, digest: string): Promise<boolean> {
  const a = await ask(r, { method: 'HEAD', path: `/v2/${repository}/blobs/${digest}` });
  await a.body.dump();
  if (a.status === 401 || a.status === 403)
    throw new ProtocolError('credentials', r.endpoint, `it refuses the credentials (${a.status})`, a.status);
  return a.status === 200;
}

/** A blob's bytes from `from` on. The caller verifies them. */
export async function readBlob(r: RegistryAt, repository: string, digest: string, from = 0): Promise<Readable> {
  const a = await ask(r, {
    path: `/v2/${repository}/blobs/${digest}`,
    ...(from ? { headers: { range: `bytes=${from}-` } } : {}),
  });
  if (a.status !== (from ? 206 : 200)) return bad(r, a.status, a.body, `${repository} ${digest.slice(0, 19)}`);
  return a.body;
}

/** Has the blob held by another repository of the same registry counted for this one too. */
export async function mountBlob(r: RegistryAt, repository: string, digest: string, from: string): Promise<boolean> {
  const a = await ask(r, {
    method: 'POST',
    path: `/v2/${repository}/blobs/uploads/?mount=${digest}&from=${encodeURIComponent(from)}`,
  });
  await a.body.dump();
  return a.status === 201;
}

/** One upload: opened, filled, ended. The registry verifies the digest before it keeps anything. */
export async function pushBlob(r: RegistryAt, repository: string, digest: string, size: number, body: Readable): Promise<void> {
  const opened = await ask(r, { method: 'POST', path: `/v2/${repository}/blobs/uploads/` });
  if (opened.status !== 202) await bad(r, opened.status, opened.body, `opening an upload to ${repository}`);
  await opened.body.dump();
  const location = String(opened.headers.location ?? '');
  if (!location.startsWith('/v2/')) throw new ProtocolError('answer', r.endpoint, 'it sends uploads elsewhere');
  const a = await ask(r, {
    method: 'PUT',
    path: `${location}?digest=${digest}`,
    headers: { 'content-type': 'application/octet-stream', 'content-length': String(size) },
    body,
    timeoutMs: 60_000,
  });
  if (a.status !== 201) await bad(r, a.status, a.body, `${repository} ${digest.slice(0, 19)}`);
  await a.body.dump();
}

export interface PullLine {
  at: string;
  client: string;
  user: string;
  agent: string;
  kind: 'manifest' | 'blob';
  repository: string;
  reference: string;
  digest: string;
  status: number;
}
/** What the product's own registry tells beyond the standard: digests held whole, names with what they stand for, and who pulled what. */
export const held = async (r: RegistryAt): Promise<{ digests: string[]; names?: string[] }> => {
  const { json } = await askJson<{ digests: string[]; names?: string[] }>(
    r.dialer,
    targetOf(r),
    { path: '/praesidor/digests', headers: headers(r) },
    64_000_000,
  );
  return {
    digests: json.digests.filter((d) => digestPattern.test(d)),
    ...(Array.isArray(json.names) ? { names: json.names } : {}),
  };
};
export const pullLog = async (r: RegistryAt, since: string) =>
  (
    await askJson<{ pulls: PullLine[] }>(
      r.dialer,
      targetOf(r),
      { path: `/praesidor/pulls?since=${encodeURIComponent(since)}`, headers: headers(r) },
      256_000_000,
    )
  ).json.pulls;
