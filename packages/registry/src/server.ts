import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { createServer as createHttp, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createHttps } from 'node:https';
import { pipeline } from 'node:stream/promises';
import { collect, Scrub } from './collect.ts';
import { isFull } from './disk.ts';
import { type Grant, type Login, plainLogin, readBasic, Tokens } from './login.ts';
import { Busy, type Store } from './store.ts';

export interface RegistryOptions {
  store: Store;
  tls?: { key: string; cert: string };
  /** Who may log in; nobody asked for: everybody may read and write. */
  login?: Login;
  /** The same from names and passwords held in memory; `writers` may write, all of them where not given. */
  users?: Record<string, string>;
  writers?: string[];
  /** How clients are to show who they are: with every request, or with a token got for it. Both are always taken. */
  scheme?: 'basic' | 'bearer';
  /** Seconds that a token is good for. */
  tokenSeconds?: number;
  readOnly?: boolean;
  /** Looks at every request first; true means that it has answered. Faults and limits are put in front this way. */
  before?: (req: IncomingMessage, res: ServerResponse) => boolean | Promise<boolean>;
  now?: () => Date;
}

const NAME = '([a-z0-9]+(?:(?:\\.|_|__|-+)[a-z0-9]+)*(?:/[a-z0-9]+(?:(?:\\.|_|__|-+)[a-z0-9]+)*)*)';
const routes = {
  blob: new RegExp(`^/v2/${NAME}/blobs/(sha256:[0-9a-f]{64})$`),
  uploads: new RegExp(`^/v2/${NAME}/blobs/uploads/?$`),
  upload: new RegExp(`^/v2/${NAME}/blobs/uploads/([0-9a-f-]{36})$`),
  manifest: new RegExp(`^/v2/${NAME}/manifests/([A-Za-z0-9_][A-Za-z0-9._:-]{0,135})$`),
  tags: new RegExp(`^/v2/${NAME}/tags/list$`),
  referrers: new RegExp(`^/v2/${NAME}/referrers/(sha256:[0-9a-f]{64})$`),
};
const manifestLimit = 4 * 1024 * 1024;

/** What is counted for `/metrics`. */
interface Counts {
  requests: Map<string, number>;
  sent: number;
  received: number;
}
interface Running extends RegistryOptions {
  tokens: Tokens;
  scrub: Scrub;
  counts: Counts;
  startedAt: number;
}

/** An OCI distribution 1.1 server over a store. It does not listen yet. */
export function createRegistry(options: RegistryOptions): Server {
  const running: Running = {
    ...options,
    ...(options.login || !options.users ? {} : { login: plainLogin(options.users, options.writers) }),
    tokens: new Tokens(undefined, options.tokenSeconds, () => (options.now?.() ?? new Date()).getTime()),
    scrub: new Scrub(options.store, digestOfFile),
    counts: { requests: new Map(), sent: 0, received: 0 },
    startedAt: Date.now(),
  };
  const handle = (req: IncomingMessage, res: ServerResponse) => {
    res.once('close', () => {
      const key = `${req.method} ${Math.floor(res.statusCode / 100)}xx`;
      running.counts.requests.set(key, (running.counts.requests.get(key) ?? 0) + 1);
    });
    answer(running, req, res).catch((cause: unknown) => {
      if (res.headersSent || req.destroyed) {
        res.destroy();
        return;
      }
      if (isFull(cause)) refuse(res, 507, 'DENIED', (cause as Error).message);
      else if (cause instanceof Busy)
        refuse(res.setHeader('retry-after', '1'), 503, 'TOOMANYREQUESTS', 'this upload is still being written to');
      else refuse(res, 500, 'UNKNOWN', 'the registry could not answer');
    });
  };
  const server = options.tls
    ? createHttps({ key: options.tls.key, cert: options.tls.cert, minVersion: 'TLSv1.2' }, handle)
    : createHttp(handle);
  // A blob of many gigabytes over a slow link takes its time; silence is what ends a connection.
  server.requestTimeout = 0;
  server.timeout = 300_000;
  return server;
}

const digestOfFile = async (path: string): Promise<string> => {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path, { highWaterMark: 1_048_576 })) hash.update(chunk as Buffer);
  return `sha256:${hash.digest('hex')}`;
};

function refuse(res: ServerResponse, status: number, code: string, message: string) {
  // What was not read of a request is not waited for; one that was read leaves the connection to the next.
  const { req } = res;
  const bare = req.method === 'GET' || req.method === 'HEAD' || req.headers['content-length'] === '0';
  if (!bare && !req.complete) res.setHeader('connection', 'close');
  res.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify({ errors: [{ code, message }] }));
}
const json = (res: ServerResponse, body: unknown, headers: Record<string, string> = {}) =>
  void res.writeHead(200, { 'content-type': 'application/json', ...headers }).end(JSON.stringify(body));

const needs = (method: string) => (method === 'GET' || method === 'HEAD' ? 'pull' : method === 'DELETE' ? 'delete' : 'push');

async function answer(o: Running, req: IncomingMessage, res: ServerResponse): Promise<void> {
  if (await o.before?.(req, res)) return;
  const url = new URL(req.url ?? '/', 'http://registry');
  const method = req.method ?? 'GET';
  const path = decodeURIComponent(url.pathname);
  if (path === '/praesidor/health') return health(o, res);
  if (path === '/token') return giveToken(o, url, req, res);
  const repo = /^\/v2\/(.+?)\/(?:blobs|manifests|tags|referrers)\//.exec(path)?.[1];
  const need = needs(method);
  const who = await whoIs(o, req);
  if (typeof who === 'string') return challenge(o, req, res, repo, need, who);
  if (need !== 'pull') {
    if (o.readOnly) return refuse(res, 403, 'DENIED', 'the registry is read-only');
    if (!who.writes) return refuse(res, 403, 'DENIED', `${who.user} may not write here`);
  }
  if (repo && !who.access.some((a) => (a.name === '*' || a.name === repo) && a.actions.includes(need)))
    return challenge(o, req, res, repo, need, 'wrong');
  return path.startsWith('/praesidor/') || path === '/metrics'
    ? ours(o, path, url, method, res)
    : standard(o, path, url, method, req, res, who.user);
}

async function standard(
  o: Running,
  path: string,
  url: URL,
  method: string,
  req: IncomingMessage,
  res: ServerResponse,
  user: string,
): Promise<void> {
  const writes = needs(method) !== 'pull';
  const log: Log = (kind, repository, reference, digest, status) =>
    o.store.logPull({
      at: (o.now?.() ?? new Date()).toISOString(),
      client: req.socket.remoteAddress ?? '',
      user,
      agent: (req.headers['user-agent'] ?? '').slice(0, 200),
      kind,
      repository,
      reference,
      digest,
      status,
    });
  if (path === '/v2/' || path === '/v2') return json(res, {}, { 'docker-distribution-api-version': 'registry/2.0' });
  if (path === '/v2/_catalog')
    return listed(res, url, '/v2/_catalog', await o.store.repositories(), (repositories) => ({ repositories }));
  let m = routes.blob.exec(path);
  if (m && method === 'DELETE') return gone(res, await o.store.deleteBlob(m[1] as string, m[2] as string), 'BLOB_UNKNOWN');
  if (m && !writes) return sendBlob(o, req, res, m[1] as string, m[2] as string, log);
  m = routes.tags.exec(path);
  if (m && !writes) {
    const name = m[1] as string;
    const tags = await o.store.tags(name);
    return tags
      ? listed(res, url, path, tags, (list) => ({ name, tags: list }))
      : refuse(res, 404, 'NAME_UNKNOWN', `no repository ${name}`);
  }
  m = routes.referrers.exec(path);
  if (m && !writes) return sendReferrers(o, url, res, m[1] as string, m[2] as string);
  m = routes.manifest.exec(path);
  if (m && method === 'DELETE')
    return gone(res, await o.store.deleteManifest(m[1] as string, m[2] as string), 'MANIFEST_UNKNOWN');
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

/** What this registry tells beyond the standard: what it holds, who pulled, whether it still verifies, how it fares. */
async function ours(o: Running, path: string, url: URL, method: string, res: ServerResponse): Promise<void> {
  const flag = (name: string) => url.searchParams.get(name) === '1';
  if (path === '/metrics') return metrics(o, res);
  if (path === '/praesidor/digests')
    return json(res, {
      digests: await o.store.digests(),
      names: await o.store.names(),
      used: await o.store.used(),
      free: await o.store.free(),
    });
  if (path === '/praesidor/pulls') return json(res, { pulls: await o.store.pulls(url.searchParams.get('since') ?? undefined) });
  if (path === '/praesidor/scrub') {
    if (method === 'DELETE') await o.scrub.stop();
    return json(res, method === 'POST' ? o.scrub.start() : o.scrub.state);
  }
  if (path === '/praesidor/collect' && method === 'POST') {
    const grace = Number(url.searchParams.get('grace') ?? Number.NaN);
    return json(
      res,
      await collect(o.store, { dry: flag('dry'), untagged: flag('untagged'), ...(grace >= 0 ? { graceMs: grace * 1000 } : {}) }),
    );
  }
  refuse(res, 404, 'UNSUPPORTED', `${method} ${path.slice(0, 200)} is nothing this registry does`);
}

type Log = (kind: 'manifest' | 'blob', repository: string, reference: string, digest: string, status: number) => Promise<void>;

// ── who ──────────────────────────────────────────────────────────────────────────────────────────────────────────

const everything = [{ name: '*', actions: ['pull', 'push', 'delete'] }];

async function whoIs(o: Running, req: IncomingMessage): Promise<Grant | 'nobody' | 'wrong' | 'ended'> {
  if (!o.login) return { user: 'anyone', writes: true, access: everything };
  const header = req.headers.authorization;
  if (!header) return 'nobody';
  if (/^bearer /i.test(header)) return o.tokens.read(header.slice(7).trim());
  const shown = readBasic(header);
  const who = shown && (await o.login(shown.user, shown.password));
  return who ? { ...who, access: everything } : 'wrong';
}

function challenge(
  o: Running,
  req: IncomingMessage,
  res: ServerResponse,
  repo: string | undefined,
  need: string,
  why: 'nobody' | 'wrong' | 'ended',
) {
  const service = req.headers.host ?? 'registry';
  const scope = repo ? `,scope="repository:${repo}:${need === 'pull' ? 'pull' : `pull,${need}`}"` : '';
  res.setHeader(
    'www-authenticate',
    o.scheme === 'bearer'
      ? `Bearer realm="${o.tls ? 'https' : 'http'}://${service}/token",service="${service}"${scope}${why === 'nobody' ? '' : ',error="invalid_token"'}`
      : 'Basic realm="registry"',
  );
  refuse(
    res,
    401,
    'UNAUTHORIZED',
    why === 'ended' ? 'the token has ended; get a new one' : 'log in with the credentials of this registry',
  );
}

async function giveToken(o: Running, url: URL, req: IncomingMessage, res: ServerResponse) {
  const shown = readBasic(req.headers.authorization);
  const who = o.login ? shown && (await o.login(shown.user, shown.password)) : { user: 'anyone', writes: true };
  if (!who) {
    res.setHeader('www-authenticate', 'Basic realm="registry"');
    return refuse(res, 401, 'UNAUTHORIZED', 'log in with the credentials of this registry');
  }
  const access = url.searchParams.getAll('scope').flatMap((scope) => {
    const m = /^repository:([^:]+):([a-z,*]+)$/.exec(scope);
    if (!m) return [];
    const asked = (m[2] as string).split(',').flatMap((a) => (a === '*' ? ['pull', 'push', 'delete'] : [a]));
    return [{ name: m[1] as string, actions: asked.filter((a) => a === 'pull' || who.writes) }];
  });
  const token = o.tokens.give({ ...who, access });
  json(res, { token, access_token: token, expires_in: o.tokens.seconds, issued_at: (o.now?.() ?? new Date()).toISOString() });
}

// ── reading ──────────────────────────────────────────────────────────────────────────────────────────────────────

/** A list in pages, with a link to the next one (RFC 8288), as the distribution specification has it. */
function listed(res: ServerResponse, url: URL, path: string, all: string[], body: (list: string[]) => object) {
  const n = Number(url.searchParams.get('n') ?? Number.NaN);
  const last = url.searchParams.get('last');
  const rest = last === null ? all : all.filter((x) => x > last);
  const page = n >= 0 ? rest.slice(0, n) : rest;
  const more =
    page.length && page.length < rest.length
      ? { link: `<${path}?n=${n}&last=${encodeURIComponent(page.at(-1) as string)}>; rel="next"` }
      : {};
  json(res, body(page), more as Record<string, string>);
}

async function sendBlob(o: Running, req: IncomingMessage, res: ServerResponse, repo: string, digest: string, log: Log) {
  const size = await o.store.blobSize(repo, digest);
  if (size === undefined) {
    if (req.method === 'GET') await log('blob', repo, digest, digest, 404);
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
  o.counts.sent += end - start + 1;
}

async function sendManifest(o: Running, method: string, res: ServerResponse, repo: string, reference: string, log: Log) {
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

async function sendReferrers(o: Running, url: URL, res: ServerResponse, repo: string, digest: string) {
  const type = url.searchParams.get('artifactType');
  const manifests = (await o.store.referrers(repo, digest)).filter((d) => !type || d.artifactType === type);
  json(
    res,
    { schemaVersion: 2, mediaType: 'application/vnd.oci.image.index.v1+json', manifests },
    { 'content-type': 'application/vnd.oci.image.index.v1+json', ...(type ? { 'oci-filters-applied': 'artifactType' } : {}) },
  );
}

// ── writing ──────────────────────────────────────────────────────────────────────────────────────────────────────

const gone = (res: ServerResponse, was: boolean, code: string) => {
  if (was) res.writeHead(202).end();
  else refuse(res, 404, code, 'there is nothing of that name');
};

async function putManifest(o: Running, req: IncomingMessage, res: ServerResponse, repo: string, reference: string) {
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

async function startUpload(o: Running, url: URL, req: IncomingMessage, res: ServerResponse, repo: string) {
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

async function continueUpload(
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

// ── how it fares ─────────────────────────────────────────────────────────────────────────────────────────────────

async function health(o: Running, res: ServerResponse) {
  const free = await o.store.free();
  const full = free <= 0;
  res.writeHead(full ? 503 : 200, { 'content-type': 'application/json' }).end(
    JSON.stringify({
      well: !full,
      readOnly: o.readOnly ?? false,
      free,
      ...(full ? { why: 'the disk set aside for images is full' } : {}),
    }),
  );
}

/** Prometheus text exposition format 0.0.4. */
async function metrics(o: Running, res: ServerResponse) {
  const s = o.scrub.state;
  const one = (name: string, kind: string, help: string, value: number) =>
    `# HELP ${name} ${help}\n# TYPE ${name} ${kind}\n${name} ${value}\n`;
  const requests = [...o.counts.requests].map(([key, n]) => {
    const [method, status] = key.split(' ');
    return `registry_requests_total{method="${method}",status="${status}"} ${n}\n`;
  });
  res
    .writeHead(200, { 'content-type': 'text/plain; version=0.0.4' })
    .end(
      [
        `# HELP registry_requests_total Requests answered.\n# TYPE registry_requests_total counter\n${requests.join('')}`,
        one('registry_sent_bytes_total', 'counter', 'Bytes of blobs sent.', o.counts.sent),
        one('registry_received_bytes_total', 'counter', 'Bytes of uploads received.', o.counts.received),
        one('registry_used_bytes', 'gauge', 'Bytes of content.', await o.store.used()),
        one('registry_free_bytes', 'gauge', 'Bytes that can still be taken in.', await o.store.free()),
        one('registry_damaged', 'gauge', 'Content that the last scrub put aside.', s.damaged.length),
        one('registry_start_time_seconds', 'gauge', 'When this process began to answer.', Math.round(o.startedAt / 1000)),
      ].join(''),
    );
}
