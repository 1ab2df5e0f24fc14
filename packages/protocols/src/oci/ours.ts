import type { SeenScrub } from '@praesidor/core/model';
import { ProtocolError } from '../dial/index.ts';
import { ask, bad, type RegistryAt } from './session.ts';

const digestPattern = /^sha256:[0-9a-f]{64}$/;

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
/** Whether a fault is the answer of a registry that tells no more than the standard. */
export const tellsNoMore = (e: unknown): e is ProtocolError =>
  e instanceof ProtocolError && e.status !== undefined && [400, 404, 405, 501].includes(e.status);

/** What the product's own registry tells beyond the standard: digests held whole, names with what they stand for, and who pulled what. */
export const held = async (r: RegistryAt): Promise<{ digests: string[]; names?: string[]; used?: number; free?: number }> => {
  const json = await own<{ digests: string[]; names?: string[]; used?: number; free?: number }>(
    r,
    'GET',
    '/praesidor/digests',
    64_000_000,
  );
  return {
    digests: json.digests.filter((d) => digestPattern.test(d)),
    ...(Array.isArray(json.names) ? { names: json.names } : {}),
    ...(typeof json.used === 'number' ? { used: json.used } : {}),
    ...(typeof json.free === 'number' ? { free: json.free } : {}),
  };
};
export const pullLog = async (r: RegistryAt, since: string) =>
  (await own<{ pulls: PullLine[] }>(r, 'GET', `/praesidor/pulls?since=${encodeURIComponent(since)}`, 256_000_000)).pulls;

/** What a scrub tells is what is kept of it. */
export type ScrubAnswer = SeenScrub;
/** @throws ProtocolError when what it answers is no JSON, or larger than `most` bytes */
async function own<T>(r: RegistryAt, method: string, path: string, most = 4_000_000, body?: string): Promise<T> {
  const a = await ask(r, { method, path, ...(body === undefined ? {} : { body }) });
  if (a.status !== 200) return bad(r, a, path.split('?')[0] as string);
  const chunks: Buffer[] = [];
  let size = 0;
  try {
    for await (const c of a.body) {
      size += (c as Buffer).length;
      if (size > most) throw new ProtocolError('answer', r.endpoint, `what it answers to ${path} is larger than ${most} bytes`);
      chunks.push(c as Buffer);
    }
  } catch (cause) {
    throw ProtocolError.from(cause, r.endpoint);
  }
  try {
    return JSON.parse(Buffer.concat(chunks).toString('utf8')) as T;
  } catch {
    throw new ProtocolError('answer', r.endpoint, `what it answers to ${path} is not JSON`);
  }
}
/** Begins to read every blob again, or tells how far that is. */
export const scrub = (r: RegistryAt, act: 'start' | 'look' | 'stop') =>
  own<ScrubAnswer>(r, act === 'start' ? 'POST' : act === 'stop' ? 'DELETE' : 'GET', '/praesidor/scrub');
/** Takes away what nothing refers to, or says what that would be. */
export const collectUnused = (r: RegistryAt, o: { dry?: boolean; untagged?: boolean; graceSeconds?: number }) =>
  own<{ manifests: number; blobs: number; bytes: number; uploads: number }>(
    r,
    'POST',
    `/praesidor/collect?dry=${o.dry ? 1 : 0}&untagged=${o.untagged ? 1 : 0}${o.graceSeconds === undefined ? '' : `&grace=${o.graceSeconds}`}`,
  );
/** Hands a new certificate with its key over, protected by the old one. Answers its SHA-256 fingerprint. */
export const handCertificate = async (r: RegistryAt, pair: { cert: string; key: string }) =>
  (await own<{ fingerprint: string }>(r, 'PUT', '/praesidor/certificate', 10_000, JSON.stringify(pair))).fingerprint;
