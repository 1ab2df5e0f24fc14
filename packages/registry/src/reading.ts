import type { IncomingMessage, ServerResponse } from 'node:http';
import { pipeline } from 'node:stream/promises';
import { json, type Log, refuse, type Running } from './running.ts';

/** A list in pages, with a link to the next one (RFC 8288), as the distribution specification has it. */
export function listed(res: ServerResponse, url: URL, path: string, all: string[], body: (list: string[]) => object) {
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

export async function sendBlob(o: Running, req: IncomingMessage, res: ServerResponse, repo: string, digest: string, log: Log) {
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

export async function sendManifest(o: Running, method: string, res: ServerResponse, repo: string, reference: string, log: Log) {
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

export async function sendReferrers(o: Running, url: URL, res: ServerResponse, repo: string, digest: string) {
  const type = url.searchParams.get('artifactType');
  const manifests = (await o.store.referrers(repo, digest)).filter((d) => !type || d.artifactType === type);
  json(
    res,
    { schemaVersion: 2, mediaType: 'application/vnd.oci.image.index.v1+json', manifests },
    { 'content-type': 'application/vnd.oci.image.index.v1+json', ...(type ? { 'oci-filters-applied': 'artifactType' } : {}) },
  );
}
