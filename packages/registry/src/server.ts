import { timingSafeEqual } from 'node:crypto';
import { createServer as createHttp, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createHttps } from 'node:https';
import { pipeline } from 'node:stream/promises';
import { type Store, StoreFull } from './store.ts';

export interface RegistryOptions {
  store: Store;
  tls?: { key: string; cert: string };
  /** User → password; none: everybody may read and write. */
  users?: Record<string, string>;
  /** Users that may write; all of `users` where not given. */
  writers?: string[];
  readOnly?: boolean;
  /** Looks at every request first; true means that it has answered. Faults and limits are put in front this way. */
  before?: (req: IncomingMessage, res: ServerResponse) => boolean | Promise<boolean>;
  /** Wraps what is sent of a blob. */
  now?: () => Date;
}

const NAME = '([a-z0-9]+(?:(?:\\.|_|__|-+)[a-z0-9]+)*(?:/[a-z0-9]+(?:(?:\\.|_|__|-+)[a-z0-9]+)*)*)';
const routes = {
  blob: new RegExp(`^/v2/${NAME}/blobs/(sha256:[0-9a-f]{64})$`),
  uploads: new RegExp(`^/v2/${NAME}/blobs/uploads/?$`),
  upload: new RegExp(`^/v2/${NAME}/blobs/uploads/([0-9a-f-]{36})$`),
  manifest: new RegExp(`^/v2/${NAME}/manifests/([A-Za-z0-9_][A-Za-z0-9._:-]{0,135})$`),
  tags: new RegExp(`^/v2/${NAME}/tags/list$`),
};

const manifestLimit = 4 * 1024 * 1024;

/** An OCI distribution 1.1 server over a store. It does not listen yet. */
export function createRegistry(options: RegistryOptions): Server {
  const handle = (req: IncomingMessage, res: ServerResponse) => {
    answer(options, req, res).catch((cause: unknown) => {
      if (res.headersSent) {
        res.destroy();
        return;
      }
      if (cause instanceof StoreFull) refuse(res, 507, 'DENIED', cause.message);
      else refuse(res, 500, 'UNKNOWN', 'the registry could not answer');
    });
  };
  return options.tls
    ? createHttps({ key: options.tls.key, cert: options.tls.cert, minVersion: 'TLSv1.2' }, handle)
    : createHttp(handle);
}

function refuse(res: ServerResponse, status: number, code: string, message: string) {
  res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify({ errors: [{ code, message }] }));
}

async function answer(o: RegistryOptions, req: IncomingMessage, res: ServerResponse): Promise<void> {
  if (await o.before?.(req, res)) return;
  const url = new URL(req.url ?? '/', 'http://registry');
  const method = req.method ?? 'GET';
  const user = userOf(o, req);
  if (user === undefined) {
    res.setHeader('www-authenticate', 'Basic realm="registry"');
    return refuse(res, 401, 'UNAUTHORIZED', 'log in with the credentials of this registry');
  }
  const writes = method !== 'GET' && method !== 'HEAD';
  if (writes && (o.readOnly || (o.writers && !o.writers.includes(user))))
    return refuse(res, 403, 'DENIED', o.readOnly ? 'the registry is read-only' : `${user} may not write here`);
  const path = decodeURIComponent(url.pathname);
  const log = (kind: 'manifest' | 'blob', repository: string, reference: string, digest: string, status: number) =>
    o.store.logPull({
      at: (o.now?.() ?? new Date()).toISOString(),
      client: req.socket.remoteAddress ?? '',
      user,
      agent: req.headers['user-agent'] ?? '',
      kind,
      repository,
      reference,
      digest,
      status,
    });

  if (path === '/v2/' || path === '/v2') return void res.writeHead(200, { 'content-type': 'application/json' }).end('{}');
  if (path === '/v2/_catalog') return json(res, { repositories: await o.store.repositories() });
  if (path === '/praesidor/digests') return json(res, { digests: await o.store.digests(), names: await o.store.names() });
  if (path === '/praesidor/pulls') return json(res, { pulls: await o.store.pulls(url.searchParams.get('since') ?? undefined) });

  let m = routes.blob.exec(path);
  if (m && !writes) return sendBlob(o, req, res, m[1] as string, m[2] as string, log);
  m = routes.tags.exec(path);
  if (m && !writes) {
    const tags = await o.store.tags(m[1] as string);
    return tags ? json(res, { name: m[1], tags }) : refuse(res, 404, 'NAME_UNKNOWN', `no repository ${m[1]}`);
  }
  m = routes.manifest.exec(path);
  if (m)
    return writes
      ? putManifest(o, req, res, m[1] as string, m[2] as string)
      : sendManifest(o, method, res, m[1] as string, m[2] as string, log);
  m = routes.uploads.exec(path);
  if (m && method === 'POST') return startUpload(o, url, req, res, m[1] as string);
  m = routes.upload.exec(path);
  if (m) return continueUpload(o, method, url, req, res, m[1] as string, m[2] as string);
  refuse(res, 404, 'UNSUPPORTED', `${method} ${path.slice(0, 200)} is nothing this registry does`);
}

type Log = (kind: 'manifest' | 'blob', repository: string, reference: string, digest: string, status: number) => Promise<void>;
const json = (res: ServerResponse, body: unknown) =>
  void res.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(body));

function userOf(o: RegistryOptions, req: IncomingMessage): string | undefined {
  if (!o.users) return 'anyone';
  const [scheme, text] = (req.headers.authorization ?? '').split(' ');
  if (scheme?.toLowerCase() !== 'basic' || !text) return undefined;
  const plain = Buffer.from(text, 'base64').toString('utf8');
  const colon = plain.indexOf(':');
  const name = plain.slice(0, colon);
  const want = Object.hasOwn(o.users, name) ? Buffer.from(o.users[name] as string) : undefined;
  const got = Buffer.from(plain.slice(colon + 1));
  return want && want.length === got.length && timingSafeEqual(want, got) ? name : undefined;
}

async function sendBlob(o: RegistryOptions, req: IncomingMessage, res: ServerResponse, repo: string, digest: string, log: Log) {
  const size = await o.store.blobSize(repo, digest);
  if (size === undefined) {
    await log('blob', repo, digest, digest, 404);
    return refuse(res, 404, 'BLOB_UNKNOWN', `${repo} does not hold ${digest}`);
  }
  const headers: Record<string, string | number> = {
    'content-type': 'application/octet-stream',
    'docker-content-digest': digest,
    'accept-ranges': 'bytes',
  };
  const range = /^bytes=(\d+)-(\d*)$/.exec(req.headers.range ?? '');
  const start = range ? Number(range[1]) : 0;
  const end = range?.[2] ? Math.min(Number(range[2]), size - 1) : size - 1;
  if (range && (start >= size || end < start)) {
    res.writeHead(416, { 'content-range': `bytes */${size}` }).end();
    return;
  }
  if (range) headers['content-range'] = `bytes ${start}-${end}/${size}`;
  headers['content-length'] = size === 0 ? 0 : end - start + 1;
  if (req.method === 'HEAD') {
    res.writeHead(range ? 206 : 200, headers).end();
    return;
  }
  await log('blob', repo, digest, digest, range ? 206 : 200);
  res.writeHead(range ? 206 : 200, headers);
  if (size === 0) {
    res.end();
    return;
  }
  await pipeline(o.store.readBlob(digest, start, end), res);
}

async function sendManifest(o: RegistryOptions, method: string, res: ServerResponse, repo: string, reference: string, log: Log) {
  const found = await o.store.manifest(repo, reference);
  if (!found) {
    if (method === 'GET') await log('manifest', repo, reference, '', 404);
    return refuse(res, 404, 'MANIFEST_UNKNOWN', `${repo} has no ${reference}`);
  }
  if (method === 'GET') await log('manifest', repo, reference, found.digest, 200);
  res.writeHead(200, {
    'content-type': found.mediaType,
    'content-length': found.body.length,
    'docker-content-digest': found.digest,
  });
  res.end(method === 'HEAD' ? undefined : found.body);
}

async function putManifest(o: RegistryOptions, req: IncomingMessage, res: ServerResponse, repo: string, reference: string) {
  if (req.method !== 'PUT') return refuse(res, 405, 'UNSUPPORTED', 'manifests are put');
  const chunks: Buffer[] = [];
  let total = 0;
  for await (const chunk of req) {
    total += (chunk as Buffer).length;
    if (total > manifestLimit) return refuse(res, 413, 'SIZE_INVALID', 'a manifest has at most 4 MiB');
    chunks.push(chunk as Buffer);
  }
  try {
    const { digest, missing } = await o.store.putManifest(
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
    res.writeHead(201, { location: `/v2/${repo}/manifests/${digest}`, 'docker-content-digest': digest }).end();
  } catch (cause) {
    refuse(res, 400, 'MANIFEST_INVALID', (cause as Error).message);
  }
}

async function startUpload(o: RegistryOptions, url: URL, req: IncomingMessage, res: ServerResponse, repo: string) {
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
  if (digest) return continueUpload(o, 'PUT', url, req, res, repo, id);
  res.writeHead(202, { location: `/v2/${repo}/blobs/uploads/${id}`, range: '0-0', 'content-length': 0 }).end();
}

async function continueUpload(
  o: RegistryOptions,
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
  if (method === 'GET') {
    res.writeHead(204, { location, range: `0-${Math.max(0, size - 1)}` }).end();
    return;
  }
  if (method === 'DELETE') {
    await o.store.dropUpload(id);
    res.writeHead(204).end();
    return;
  }
  if (method !== 'PATCH' && method !== 'PUT') return refuse(res, 405, 'UNSUPPORTED', `${method} is nothing an upload takes`);
  const range = /^(?:bytes )?(\d+)-/.exec(req.headers['content-range'] ?? '');
  if (range && Number(range[1]) !== size) {
    res.writeHead(416, { location, range: `0-${Math.max(0, size - 1)}` }).end();
    return;
  }
  const after = await o.store.append(id, req, Number(req.headers['content-length'] ?? 0));
  if (method === 'PATCH') {
    res.writeHead(202, { location, range: `0-${Math.max(0, after - 1)}` }).end();
    return;
  }
  const digest = url.searchParams.get('digest') ?? '';
  if (!/^sha256:[0-9a-f]{64}$/.test(digest)) return refuse(res, 400, 'DIGEST_INVALID', 'end an upload with ?digest=sha256:…');
  if (!(await o.store.finish(repo, id, digest)))
    return refuse(res, 400, 'DIGEST_INVALID', `what arrived does not have the digest ${digest}; nothing was kept`);
  res.writeHead(201, { location: `/v2/${repo}/blobs/${digest}`, 'docker-content-digest': digest }).end();
}
