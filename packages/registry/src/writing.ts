import type { IncomingMessage, ServerResponse } from 'node:http';
import { isFull } from './disk.ts';
import { NAME, refuse, type Running } from './running.ts';

const manifestLimit = 4 * 1024 * 1024;

export const gone = (res: ServerResponse, was: boolean, code: string) => {
  if (was) res.writeHead(202).end();
  else refuse(res, 404, code, 'there is nothing of that name');
};

export async function putManifest(o: Running, req: IncomingMessage, res: ServerResponse, repo: string, reference: string) {
  if (req.method !== 'PUT') return refuse(res, 405, 'UNSUPPORTED', 'manifests are put');
  const chunks: Buffer[] = [];
  let total = 0;
  for await (const chunk of req) {
    total += (chunk as Buffer).length;
    if (total > manifestLimit) return refuse(res, 413, 'SIZE_INVALID', 'a manifest has at most 4 MiB');
    chunks.push(chunk as Buffer);
  }
  try {
    const { digest, missing, subject } = await o.store.putManifest(
      repo,
      reference,
      req.headers['content-type'] ?? 'application/vnd.oci.image.manifest.v1+json',
      Buffer.concat(chunks),
    );
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

export async function startUpload(o: Running, url: URL, req: IncomingMessage, res: ServerResponse, repo: string) {
  const mount = url.searchParams.get('mount');
  const from = url.searchParams.get('from');
  if (
    mount &&
    from &&
    /^sha256:[0-9a-f]{64}$/.test(mount) &&
    new RegExp(`^${NAME}$`).test(from) &&
    (await o.store.mount(repo, from, mount))
  ) {
    res.writeHead(201, { location: `/v2/${repo}/blobs/${mount}`, 'docker-content-digest': mount }).end();
    return;
  }
  const id = await o.store.startUpload();
  const digest = url.searchParams.get('digest');
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
  const size = await o.store.uploadSize(id);
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
  const begins = /^(?:bytes )?(\d+)-/.exec(req.headers['content-range'] ?? '');
  if (begins && Number(begins[1]) !== size) {
    res.writeHead(416, range(size)).end();
    return;
  }
  const after = await o.store.append(id, req, Number(req.headers['content-length'] ?? 0));
  o.counts.received += after - size;
  if (method === 'PATCH') {
    res.writeHead(202, range(after)).end();
    return;
  }
  const digest = url.searchParams.get('digest') ?? '';
  if (!/^sha256:[0-9a-f]{64}$/.test(digest)) return refuse(res, 400, 'DIGEST_INVALID', 'end an upload with ?digest=sha256:…');
  if (!(await o.store.finish(repo, id, digest)))
    return refuse(res, 400, 'DIGEST_INVALID', `what arrived does not have the digest ${digest}; nothing was kept`);
  res.writeHead(201, { location: `/v2/${repo}/blobs/${digest}`, 'docker-content-digest': digest }).end();
}
