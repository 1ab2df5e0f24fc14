import type { IncomingMessage, ServerResponse } from 'node:http';
import { isFull } from './disk.ts';
import { type Grant, granted } from './login.ts';
import { manifestTypes } from './manifest.ts';
import { DIGEST, isName, refuse, type Running } from './running.ts';

const manifestLimit = 4 * 1024 * 1024;
/** Blobs up to so many bytes that come in one request are taken in memory, and written once. */
const inMemory = 1_000_000;

const badDigest = 'end an upload with ?digest=sha256: and 64 hexadecimal digits';

export const gone = (res: ServerResponse, was: boolean, code: string) => {
  if (was) res.writeHead(202).end();
  else refuse(res, 404, code, 'there is nothing of that name');
};

export async function putManifest(o: Running, req: IncomingMessage, res: ServerResponse, repo: string, reference: string) {
  if (req.method !== 'PUT') return refuse(res, 405, 'UNSUPPORTED', 'manifests are put');
  const type = (req.headers['content-type'] ?? '').split(';')[0]?.trim().toLowerCase() ?? '';
  if (!manifestTypes.has(type))
    return refuse(
      res,
      400,
      'MANIFEST_INVALID',
      `${type || 'no media type'} is not one of a manifest: ${[...manifestTypes.keys()].join(', ')}`,
    );
  const chunks: Buffer[] = [];
  let total = 0;
  for await (const chunk of req) {
    total += (chunk as Buffer).length;
    if (total > manifestLimit) return refuse(res, 413, 'SIZE_INVALID', 'a manifest has at most 4 MiB');
    chunks.push(chunk as Buffer);
  }
  try {
    const { digest, missing, subject } = await o.store.putManifest(repo, reference, type, Buffer.concat(chunks));
    if (missing.length)
      return refuse(
        res,
        404,
        'MANIFEST_BLOB_UNKNOWN',
        `${repo} lacks ${missing[0]}${missing.length > 1 ? ` and ${missing.length - 1} more` : ''} that this manifest names`,
      );
    res
      .writeHead(201, {
        location: `/v2/${repo}/manifests/${digest}`,
        'docker-content-digest': digest,
        ...(subject ? { 'oci-subject': subject } : {}),
      })
      .end();
  } catch (cause) {
    if (isFull(cause)) throw cause;
    refuse(res, 400, 'MANIFEST_INVALID', (cause as Error).message);
  }
}

export async function startUpload(o: Running, url: URL, req: IncomingMessage, res: ServerResponse, repo: string, who: Grant) {
  const mount = url.searchParams.get('mount');
  const from = url.searchParams.get('from');
  if (
    mount &&
    from &&
    DIGEST.test(mount) &&
    isName(from) &&
    // Whoever may not read it there gets an upload instead, as when it is not there.
    granted(who, from, 'pull') &&
    (await o.store.mount(repo, from, mount))
  ) {
    return created(res, repo, mount);
  }
  const digest = url.searchParams.get('digest');
  if (digest !== null && !DIGEST.test(digest)) return refuse(res, 400, 'DIGEST_INVALID', badDigest);
  const length = Number(req.headers['content-length'] ?? Number.NaN);
  if (digest && length <= inMemory) {
    const body = await bytesOf(req);
    o.counts.received += body.length;
    if (!(await o.store.putBlob(repo, digest, body))) return refuseDigest(res, digest);
    return created(res, repo, digest);
  }
  const id = await o.store.startUpload(repo);
  if (digest) {
    // Nobody was told where it is: broken off, it cannot be gone on with.
    return continueUpload(o, 'PUT', url, req, res, repo, id).catch(async (cause: unknown) => {
      await o.store.dropUpload(id);
      throw cause;
    });
  }
  res.writeHead(202, { location: `/v2/${repo}/blobs/uploads/${id}`, range: '0-0', 'content-length': 0 }).end();
}

export async function continueUpload(
  o: Running,
  method: string,
  url: URL,
  req: IncomingMessage,
  res: ServerResponse,
  repo: string,
  id: string,
) {
  const size = o.store.isOf(repo, id) ? await o.store.uploadSize(id) : undefined;
  const location = `/v2/${repo}/blobs/uploads/${id}`;
  if (size === undefined) return refuse(res, 404, 'BLOB_UPLOAD_UNKNOWN', 'no such upload; start a new one');
  const range = (n: number) => ({ location, range: `0-${Math.max(0, n - 1)}`, 'praesidor-received': String(n) });
  if (method === 'GET') {
    res.writeHead(204, range(size)).end();
    return;
  }
  if (method === 'DELETE') {
    await o.store.dropUpload(id);
    res.writeHead(204).end();
    return;
  }
  if (method !== 'PATCH' && method !== 'PUT') return refuse(res, 405, 'UNSUPPORTED', `${method} is nothing an upload takes`);
  const digest = url.searchParams.get('digest') ?? '';
  if (method === 'PUT' && !DIGEST.test(digest)) return refuse(res, 400, 'DIGEST_INVALID', badDigest);
  const says = req.headers['content-range'];
  const length = req.headers['content-length'];
  const chunk = /^(?:bytes )?(\d+)-(\d+)$/.exec(says ?? '');
  if (says !== undefined && !chunk) return refuse(res, 400, 'BLOB_UPLOAD_INVALID', 'Content-Range is <first byte>-<last byte>');
  const bytes = chunk ? Number(chunk[2]) - Number(chunk[1]) + 1 : undefined;
  const fits = !chunk || (Number(chunk[1]) === size && (bytes as number) > 0);
  if (!fits || (bytes !== undefined && length !== undefined && Number(length) !== bytes)) {
    res.writeHead(416, range(size)).end();
    return;
  }
  const after = await o.store.append(id, req, Number(length ?? 0));
  o.counts.received += after - size;
  if (bytes !== undefined && after - size !== bytes) {
    // Another length than was said: nothing of it counts.
    await o.store.cut(id, size);
    res.writeHead(416, range(size)).end();
    return;
  }
  if (method === 'PATCH') {
    res.writeHead(202, range(after)).end();
    return;
  }
  if (!(await o.store.finish(repo, id, digest))) return refuseDigest(res, digest);
  created(res, repo, digest);
}

const refuseDigest = (res: ServerResponse, digest: string) =>
  refuse(res, 400, 'DIGEST_INVALID', `what arrived does not have the digest ${digest}; nothing was kept`);
const created = (res: ServerResponse, repo: string, digest: string) => {
  res.writeHead(201, { location: `/v2/${repo}/blobs/${digest}`, 'docker-content-digest': digest }).end();
};

/** The body of a request as a whole. @throws Error when it is broken off */
async function bytesOf(req: IncomingMessage): Promise<Buffer> {
  const chunks: Buffer[] = [];
  for await (const chunk of req) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}
