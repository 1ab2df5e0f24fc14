import type { IncomingMessage, ServerResponse } from 'node:http';
import { type Frame, framed, framesOf } from '@praesidor/hashing';
import { isFull } from './disk.ts';
import { DIGEST, isName, json, type Log, refuse, type Running } from './running.ts';

/**
 * Many small blobs in one request, between registries of this kind: what a request costs is shared by them, and so is the
 * time that a long link takes. Everything else about them is as when they come one by one: who may, what is noted, when
 * they are kept. In a frame (`<name> <length>\n`, then the bytes) the name is `<repository> <digest>`.
 */
export const bundleLimits = { frames: 128, bytes: 262_144 } as const;

interface Named {
  repository: string;
  digest: string;
}
function named(text: string): Named | undefined {
  const [repository = '', digest = '', ...more] = text.split(' ');
  return isName(repository) && DIGEST.test(digest) && !more.length ? { repository, digest } : undefined;
}

/**
 * Blobs as asked for, each a frame in the order of asking: the body of the request is a frame for each, without bytes. One
 * that is not held, or is larger than a bundle takes, is answered under `none <digest>`.
 */
export async function readBundle(o: Running, req: IncomingMessage, res: ServerResponse, log: Log): Promise<void> {
  const wanted: Named[] = [];
  try {
    for await (const f of framesOf(req, { frames: bundleLimits.frames, bytes: 0 })) {
      const name = named(f.name);
      if (!name) throw new Error(`${f.name.slice(0, 100)} is no repository and digest`);
      wanted.push(name);
    }
  } catch (cause) {
    return refuse(res, 400, 'UNSUPPORTED', (cause as Error).message);
  }
  const bodies = await Promise.all(wanted.map((w) => o.store.smallBlob(w.repository, w.digest, bundleLimits.bytes)));
  await Promise.all(wanted.map((w, n) => log('blob', w.repository, w.digest, w.digest, bodies[n] ? 200 : 404)));
  const frames = wanted.map(({ repository, digest }, n): Frame => {
    const body = bodies[n];
    return body ? { name: `${repository} ${digest}`, body } : { name: `none ${digest}`, body: Buffer.alloc(0) };
  });
  const body = framed(frames);
  res.writeHead(200, { 'content-type': 'application/octet-stream', 'content-length': body.length });
  res.write(body);
  res.end();
  o.counts.sent += frames.reduce((n, f) => n + f.body.length, 0);
}

/**
 * Takes blobs, and answers for each whether it is kept (201), does not have its digest (400), or found no room (507): what is
 * wrong with one ends no other.
 */
export async function writeBundle(o: Running, req: IncomingMessage, res: ServerResponse): Promise<void> {
  const taken: Promise<number>[] = [];
  let fault: string | undefined;
  try {
    for await (const { name, body } of framesOf(req, bundleLimits)) {
      const n = named(name);
      if (!n) throw new Error(`${name.slice(0, 100)} is no repository and digest`);
      o.counts.received += body.length;
      taken.push(
        o.store.putBlob(n.repository, n.digest, Buffer.from(body)).then(
          (kept) => (kept ? 201 : 400),
          (cause: unknown) => (isFull(cause) ? 507 : 500),
        ),
      );
    }
  } catch (cause) {
    fault = (cause as Error).message;
  }
  const answers = await Promise.all(taken);
  if (fault !== undefined) return refuse(res, 400, 'UNSUPPORTED', fault);
  json(res, { answers });
}
