import { Readable } from 'node:stream';
import { framed, framesOf } from '@praesidor/hashing';
import { ProtocolError } from '../dial/index.ts';
import { ask, bad, type RegistryAt } from './session.ts';

/** A blob of a repository. */
export interface Named {
  repository: string;
  digest: string;
}
/** Bytes of the largest blob that the product's own registries put into a bundle. */
const largest = 262_144;
const nameOf = (b: Named) => `${b.repository} ${b.digest}`;
const octets = { 'content-type': 'application/octet-stream' };
const timeoutMs = 60_000;

/**
 * Several small blobs in one request, in their order; undefined where the registry gives none. The caller verifies them.
 * @throws ProtocolError; `tellsNoMore` holds of it for a registry that knows no bundles
 */
export async function readBundle(r: RegistryAt, wanted: readonly Named[]): Promise<(Buffer | undefined)[]> {
  const body = framed(wanted.map((b) => ({ name: nameOf(b), body: Buffer.alloc(0) })));
  const a = await ask(r, { method: 'POST', path: '/praesidor/blobs/read', headers: octets, body, timeoutMs });
  if (a.status !== 200) return bad(r, a, 'reading blobs together');
  const out: (Buffer | undefined)[] = [];
  try {
    for await (const f of framesOf(a.body, { frames: wanted.length, bytes: largest })) {
      const asked = wanted[out.length] as Named;
      if (f.name !== nameOf(asked) && f.name !== `none ${asked.digest}`)
        throw new Error('it answers with blobs that were not asked for');
      // Copied: the piece that it came in is let go.
      out.push(f.name === nameOf(asked) ? Buffer.from(f.body) : undefined);
    }
  } catch (cause) {
    throw ProtocolError.from(cause, r.endpoint);
  }
  if (out.length !== wanted.length) throw new ProtocolError('cut', r.endpoint, 'it sent fewer blobs than were asked for');
  return out;
}

/**
 * Sends several small blobs in one request. Answers for each: 201, it is kept; 400, it arrived with other bytes than its
 * digest; 507, there was no room; 500, it could not. Asked with none, whether the registry knows bundles.
 * @throws ProtocolError
 */
export async function writeBundle(r: RegistryAt, blobs: readonly (Named & { body: Buffer })[]): Promise<number[]> {
  const body = framed(blobs.map((b) => ({ name: nameOf(b), body: b.body })));
  const a = await ask(r, {
    method: 'POST',
    path: '/praesidor/blobs/write',
    headers: { ...octets, 'content-length': String(body.length) },
    // Sent once, as every upload: that it broke is told, and its sender goes on.
    body: blobs.length ? Readable.from([body]) : body,
    timeoutMs,
  });
  if (a.status !== 200) return bad(r, a, 'sending blobs together');
  const { answers } = (await a.body.json().catch(() => ({}))) as { answers?: unknown };
  if (!Array.isArray(answers) || answers.length !== blobs.length || !answers.every((x) => typeof x === 'number'))
    throw new ProtocolError('answer', r.endpoint, 'it does not say which of the blobs it keeps');
  return answers as number[];
}
