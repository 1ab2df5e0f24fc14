import { pathOf } from '@praesidor/core/images';
import { type CaseFolder, NotACase, sumOf } from './case.ts';
import { signatureFile } from './signature.ts';

export interface BadFile {
  path: string;
  why: string;
}
export interface Verified {
  shipment: string;
  number: number;
  of: number;
  files: number;
  bytes: number;
  bad: BadFile[];
}

/**
 * Reads a case from beginning to end and holds every file against the manifest and the checksum list. What cannot be
 * read is named, and the rest is read on. @throws NotACase when it does not say what it is
 */
export async function verifyCase(
  box: CaseFolder,
  onBytes: (n: number) => void = () => {},
  signal?: AbortSignal,
): Promise<Verified> {
  const { manifest: w, mark } = await box.describe();
  const own = w.cases.find((c) => c.number === mark.number);
  if (!own) throw new NotACase(`the manifest knows no case ${mark.number}`);
  const listed = await box.sums();
  const want = new Map<string, { sha?: string | undefined; bytes?: number }>();
  for (const path of ['case.json', 'index.json', 'oci-layout', 'shipment.json']) want.set(path, { sha: listed.get(path) });
  if ((await box.size(signatureFile)) !== undefined) want.set(signatureFile, { sha: listed.get(signatureFile) });
  for (const i of w.images)
    for (const m of i.manifests) want.set(`blobs/sha256/${m.digest.slice(7)}`, { sha: m.digest.slice(7), bytes: m.bytes });
  for (const p of own.pieces) want.set(pathOf(w, p), { sha: sumOf(w, p), bytes: p.to - p.from });
  const out: Verified = { ...mark, files: want.size, bytes: 0, bad: [] };
  for (const [path, expected] of want) {
    if (signal?.aborted) throw new Error('stopped');
    const why = await judge(box, path, expected, onBytes);
    out.bytes += (await box.size(path)) ?? 0;
    if (why) out.bad.push({ path, why });
  }
  if (!listed.size) out.bad.push({ path: 'SHA256SUMS', why: 'is not there: the case was not finished' });
  return out;
}

/** What is wrong with one file of a case, or nothing. */
export async function judge(
  box: CaseFolder,
  path: string,
  want: { sha?: string | undefined; bytes?: number },
  onBytes: (n: number) => void = () => {},
): Promise<string | undefined> {
  const size = await box.size(path);
  if (size === undefined) return 'is not there';
  if (want.bytes !== undefined && size !== want.bytes) return `has ${size} of ${want.bytes} bytes`;
  let got: string;
  try {
    got = await box.sha256(path);
  } catch (e) {
    return `cannot be read: ${(e as Error).message}`;
  }
  onBytes(size);
  if (!want.sha) return 'has no checksum in SHA256SUMS';
  return got === want.sha ? undefined : 'has other bytes than were packed';
}
