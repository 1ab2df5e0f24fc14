import { Readable } from 'node:stream';
import { setTimeout as pause } from 'node:timers/promises';
import { ProtocolError, transient } from '../dial/index.ts';
import { type RegistryAt, ask, bad } from './session.ts';

export interface PushHooks {
  /** Told when an upload broke and goes on, with the byte where it does. */
  onCut?: (at: number) => void;
  /** An upload that was begun before, perhaps by a process that is gone; and a place to put down the one that is begun. */
  resume?: string | undefined;
  onOpened?: (location: string) => Promise<void> | void;
  /** Tries without a single byte of progress before it is given up. */
  patience?: number;
  /**
   * Up to so many bytes a blob is sent in one request, and again from its beginning when that breaks; larger ones are sent so
   * that a broken upload can be gone on with, which takes two requests more.
   */
  inOneRequest?: number;
}
/** Pieces read ahead of what is sent. */
const ahead = { highWaterMark: 2 };

/**
 * One upload: opened, filled, ended. `bytes(from)` gives the blob from a byte on. When the connection breaks, the
 * registry is asked how much arrived, and only the rest is sent. It verifies the digest before it keeps anything.
 * @throws ProtocolError; `digest` when what arrived is not what was announced
 */
export async function pushBlob(
  r: RegistryAt,
  repository: string,
  digest: string,
  size: number,
  bytes: (from: number) => AsyncIterable<Buffer> | Readable,
  hooks: PushHooks = {},
): Promise<void> {
  const large = size > (hooks.inOneRequest ?? 1_000_000);
  let location = large ? (hooks.resume ?? '') : '';
  let at = 0;
  if (location) {
    const got = await received(r, location);
    if (got === undefined || got > size) location = '';
    else at = got;
    if (at) hooks.onCut?.(at);
  }
  let idle = 0;
  for (;;) {
    const began = at;
    try {
      if (!location && !large) {
        const opened = await inOne(r, repository, digest, size, bytes);
        if (opened === undefined) return;
        location = opened;
      }
      if (!location) {
        location = await open(r, repository);
        at = 0;
        if (large) await hooks.onOpened?.(location);
      }
      if (large && at < size) {
        const a = await ask(r, {
          method: 'PATCH',
          path: location,
          headers: { ...octets, 'content-length': String(size - at), 'content-range': `${at}-${size - 1}` },
          body: Readable.from(bytes(at), ahead),
          timeoutMs: 60_000,
        });
        if (a.status !== 202) await bad(r, a, `${repository} ${digest.slice(0, 19)}`);
        await a.body.dump();
        location = locationOf(r, a.headers.location) ?? location;
        at = size;
      }
      const last = at < size;
      const a = await ask(r, {
        method: 'PUT',
        path: `${location}${location.includes('?') ? '&' : '?'}digest=${digest}`,
        headers: { ...octets, 'content-length': String(size - at) },
        ...(last ? { body: Readable.from(bytes(at), ahead) } : {}),
        timeoutMs: 60_000,
      });
      if (a.status !== 201) await bad(r, a, `${repository} ${digest.slice(0, 19)}`);
      await a.body.dump();
      return;
    } catch (cause) {
      const e = ProtocolError.from(cause, r.endpoint);
      if (e.status === 400) throw new ProtocolError('digest', r.endpoint, e.detail, 400);
      const again = transient(e) || e.status === 401 || e.status === 416 || (e.status === 404 && location !== '');
      if (!again || r.signal?.aborted) throw e;
      await pause(e.retryAfter ?? 50 * 2 ** Math.min(idle, 6), undefined, r.signal ? { signal: r.signal } : {}).catch(
        (x: unknown) => {
          throw ProtocolError.from(x, r.endpoint);
        },
      );
      const got = location ? await received(r, location) : 0;
      if (got === undefined) location = '';
      at = got ?? 0;
      idle = at > began ? 0 : idle + 1;
      if (idle > (hooks.patience ?? 6)) throw e;
      hooks.onCut?.(at);
    }
  }
}

const octets = { 'content-type': 'application/octet-stream' };

const locationOf = (r: RegistryAt, header: unknown): string | undefined => {
  if (header === undefined) return undefined;
  const text = String(header);
  const own = `https://${r.endpoint}`;
  const path = text.startsWith(`${own}/`) ? text.slice(own.length) : text;
  if (!path.startsWith('/v2/')) throw new ProtocolError('answer', r.endpoint, 'it sends uploads elsewhere');
  return path;
};

async function open(r: RegistryAt, repository: string): Promise<string> {
  const a = await ask(r, { method: 'POST', path: `/v2/${repository}/blobs/uploads/` });
  if (a.status !== 202) await bad(r, a, `opening an upload to ${repository}`);
  await a.body.dump();
  return locationOf(r, a.headers.location ?? '') as string;
}

/** Opens, fills and ends an upload in one request; answers where to go on with a registry that only opened it. */
async function inOne(
  r: RegistryAt,
  repository: string,
  digest: string,
  size: number,
  bytes: (from: number) => AsyncIterable<Buffer> | Readable,
): Promise<string | undefined> {
  const a = await ask(r, {
    method: 'POST',
    path: `/v2/${repository}/blobs/uploads/?digest=${digest}`,
    headers: { ...octets, 'content-length': String(size) },
    body: Readable.from(bytes(0), ahead),
    timeoutMs: 60_000,
  });
  if (a.status !== 201 && a.status !== 202) await bad(r, a, `${repository} ${digest.slice(0, 19)}`);
  await a.body.dump();
  return a.status === 202 ? (locationOf(r, a.headers.location ?? '') as string) : undefined;
}

/** Bytes of an upload that arrived; undefined: the registry does not know it any more. */
async function received(r: RegistryAt, location: string): Promise<number | undefined> {
  try {
    const a = await ask(r, { path: location });
    await a.body.dump();
    if (a.status === 404) return undefined;
    if (a.status !== 204) return 0;
    const told = Number(a.headers['praesidor-received'] ?? Number.NaN);
    if (told >= 0) return told;
    // By the standard alone, `0-0` is one byte or none: begun anew, since a byte sent twice would spoil the rest.
    const last = /^(?:bytes=)?0-(\d+)$/.exec(String(a.headers.range ?? ''))?.[1];
    return last === undefined || last === '0' ? undefined : Number(last) + 1;
  } catch {
    return 0;
  }
}
