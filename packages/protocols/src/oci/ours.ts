import { askJson } from '../dial/index.ts';
import { ask, bad, headersOf, type RegistryAt, targetOf } from './session.ts';

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
/** What the product's own registry tells beyond the standard: digests held whole, names with what they stand for, and who pulled what. */
export const held = async (r: RegistryAt): Promise<{ digests: string[]; names?: string[]; used?: number; free?: number }> => {
  const { json } = await askJson<{ digests: string[]; names?: string[]; used?: number; free?: number }>(
    r.dialer,
    targetOf(r),
    { path: '/praesidor/digests', headers: headersOf(r) },
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
  (
    await askJson<{ pulls: PullLine[] }>(
      r.dialer,
      targetOf(r),
      { path: `/praesidor/pulls?since=${encodeURIComponent(since)}`, headers: headersOf(r) },
      256_000_000,
    )
  ).json.pulls;

export interface ScrubAnswer {
  running: boolean;
  done: number;
  of: number;
  bytes: number;
  startedAt?: string;
  endedAt?: string;
  damaged: { digest: string; why: string }[];
  missing: { digest: string; repository: string }[];
}
async function own<T>(r: RegistryAt, method: string, path: string): Promise<T> {
  const a = await ask(r, { method, path });
  if (a.status !== 200) return bad(r, a, path);
  return (await a.body.json()) as T;
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
