import { createServer as createHttp, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { createServer as createHttps } from 'node:https';
import { readBundle, writeBundle } from './bundles.ts';
import { type Pair, takeCertificate, tlsOf } from './certificate.ts';
import { collect, Scrub } from './collect.ts';
import { digestOfFile, isFull } from './disk.ts';
import { health, metrics } from './health.ts';
import { type Grant, granted, plainLogin, Tokens } from './login.ts';
import { listed, sendBlob, sendManifest, sendReferrers } from './reading.ts';
import { TooMany } from './hasher.ts';
import {
  bundleIn,
  bundleOut,
  DIGEST,
  isName,
  json,
  type Log,
  NAME,
  needs,
  refuse,
  type RegistryOptions,
  type Running,
} from './running.ts';
import { Busy } from './store.ts';
import { challenge, giveToken, whoIs } from './who.ts';
import { continueUpload, gone, putManifest, startUpload } from './writing.ts';

export type { RegistryOptions } from './running.ts';

/** What a manifest is asked for or put under (OCI distribution 1.1, "Pulling manifests"): a tag, or a digest. */
const TAG = /^[A-Za-z0-9_][A-Za-z0-9._-]{0,127}$/;
const routes = {
  uploads: new RegExp(`^/v2/${NAME}/blobs/uploads/?$`),
  upload: new RegExp(`^/v2/${NAME}/blobs/uploads/([^/]+)$`),
  blob: new RegExp(`^/v2/${NAME}/blobs/([^/]+)$`),
  manifest: new RegExp(`^/v2/${NAME}/manifests/([^/]+)$`),
  tags: new RegExp(`^/v2/${NAME}/tags/list$`),
  referrers: new RegExp(`^/v2/${NAME}/referrers/([^/]+)$`),
};

/** An OCI distribution 1.1 server over a store. It does not listen yet. */
export function createRegistry(options: RegistryOptions): Server {
  const running: Running = {
    ...options,
    ...(options.login || !options.users ? {} : { login: plainLogin(options.users, options.writers) }),
    tokens: new Tokens(undefined, options.tokenSeconds, () => (options.now?.() ?? new Date()).getTime()),
    scrub: new Scrub(options.store, digestOfFile),
    counts: { requests: new Map(), sent: 0, received: 0, unnoted: 0 },
    startedAt: Date.now(),
  };
  const handle = (req: IncomingMessage, res: ServerResponse) => {
    res.once('close', () => {
      const key = `${req.method} ${Math.floor(res.statusCode / 100)}xx`;
      running.counts.requests.set(key, (running.counts.requests.get(key) ?? 0) + 1);
    });
    answer(running, req, res).catch((cause: unknown) => {
      // A request that was read to its end counts as destroyed too, and is answered.
      if (res.headersSent || (req.destroyed && !req.complete)) {
        res.destroy();
        return;
      }
      if (cause instanceof TooMany)
        refuse(res.setHeader('retry-after', String(cause.seconds)), 429, 'TOOMANYREQUESTS', cause.message);
      else if (isFull(cause)) refuse(res, 507, 'DENIED', (cause as Error).message);
      else if (cause instanceof Busy)
        refuse(res.setHeader('retry-after', '1'), 503, 'TOOMANYREQUESTS', 'this upload is still being written to');
      else refuse(res, 500, 'UNKNOWN', 'the registry could not answer');
    });
  };
  const server = options.tls ? createHttps(tlsOf(options.tls), handle) : createHttp(handle);
  running.show = (pair) => showPair(server, pair);
  // A blob of many gigabytes over a slow link takes its time; silence is what ends a connection.
  server.requestTimeout = 0;
  server.timeout = 300_000;
  return server;
}

/** Whoever connects from now on is shown this one; who is connected stays. */
export const showPair = (server: Server, pair: Pair): void =>
  (server as unknown as { setSecureContext: (o: object) => void }).setSecureContext(tlsOf(pair));

async function answer(o: Running, req: IncomingMessage, res: ServerResponse): Promise<void> {
  if (await o.before?.(req, res)) return;
  const method = req.method ?? 'GET';
  let url: URL;
  let path: string;
  try {
    url = new URL(req.url ?? '/', 'http://registry');
    path = decodeURIComponent(url.pathname);
  } catch {
    return refuse(res, 400, 'NAME_INVALID', 'the address of this request cannot be read');
  }
  if (path === '/praesidor/health') return health(o, res);
  if (path === '/token') return giveToken(o, url, req, res);
  const repo = /^\/v2\/(.+?)\/(?:blobs|manifests|tags|referrers)\//.exec(path)?.[1];
  const over = repo ?? (/^\/(praesidor\/|metrics$|v2\/_catalog$)/.test(path) ? '*' : undefined);
  const need = needs(method, path);
  const who = await whoIs(o, req);
  if (typeof who === 'string') return challenge(o, req, res, over, need, who);
  if (need !== 'pull') {
    if (o.readOnly) return refuse(res, 403, 'DENIED', 'the registry is read-only');
    if (!who.writes) return refuse(res, 403, 'DENIED', `${who.user} may not write here`);
  }
  // A token is for what it was given for; what is about the whole registry takes one for the whole registry.
  if (over && !granted(who, over, need)) return challenge(o, req, res, over, need, 'wrong');
  if (repo && !isName(repo)) return refuse(res, 400, 'NAME_INVALID', 'this is no name of a repository');
  const log = logOf(o, req, who);
  if (path === bundleOut && method === 'POST') return readBundle(o, req, res, log);
  if (path === bundleIn && method === 'POST') return writeBundle(o, req, res);
  return path.startsWith('/praesidor/') || path === '/metrics'
    ? ours(o, path, url, method, req, res)
    : standard(o, path, url, method, req, res, who, log);
}

/** Notes what is pulled. What cannot be noted is counted, and nobody is refused for it: a full disk holds images that can be read. */
const logOf =
  (o: Running, req: IncomingMessage, who: Grant): Log =>
  (kind, repository, reference, digest, status) =>
    o.store
      .logPull({
        at: (o.now?.() ?? new Date()).toISOString(),
        client: req.socket.remoteAddress ?? '',
        user: who.user,
        agent: (req.headers['user-agent'] ?? '').slice(0, 200),
        kind,
        repository,
        reference,
        digest,
        status,
      })
      .catch(() => {
        o.counts.unnoted++;
      });

async function standard(
  o: Running,
  path: string,
  url: URL,
  method: string,
  req: IncomingMessage,
  res: ServerResponse,
  who: Grant,
  log: Log,
): Promise<void> {
  const writes = needs(method) !== 'pull';
  if (path === '/v2/' || path === '/v2') return json(res, {}, { 'docker-distribution-api-version': 'registry/2.0' });
  if (path === '/v2/_catalog')
    return listed(res, url, '/v2/_catalog', await o.store.repositories(), (repositories) => ({ repositories }));
  let m = routes.uploads.exec(path);
  if (m && method === 'POST') return startUpload(o, url, req, res, m[1] as string, who);
  m = routes.upload.exec(path);
  if (m) return continueUpload(o, method, url, req, res, m[1] as string, m[2] as string);
  m = routes.blob.exec(path) ?? routes.referrers.exec(path);
  if (m && !DIGEST.test(m[2] as string))
    return refuse(res, 400, 'DIGEST_INVALID', 'a digest here is sha256: and 64 hexadecimal digits in lower case');
  m = routes.manifest.exec(path);
  if (m && !DIGEST.test(m[2] as string) && !TAG.test(m[2] as string))
    return refuse(
      res,
      400,
      (m[2] as string).includes(':') ? 'DIGEST_INVALID' : 'MANIFEST_INVALID',
      'a manifest has a tag (up to 128 letters, digits, dots, hyphens and underscores) or a sha256 digest',
    );
  m = routes.blob.exec(path);
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
  refuse(res, 404, 'UNSUPPORTED', `${method} ${path.slice(0, 200)} is nothing this registry does`);
}

/** What this registry tells beyond the standard: what it holds, who pulled, whether it still verifies, how it fares. */
async function ours(
  o: Running,
  path: string,
  url: URL,
  method: string,
  req: IncomingMessage,
  res: ServerResponse,
): Promise<void> {
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
  if (path === '/praesidor/certificate' && method === 'PUT') return takeCertificate(o, req, res);
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
