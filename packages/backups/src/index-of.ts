import { createHash } from 'node:crypto';
import { gunzipSync, gzipSync } from 'node:zlib';
import { ProtocolError } from '@praesidor/protocols/dial';
import { z } from 'zod';
import { opened, sealed, type StoreKeys } from './seal.ts';
import type { BlockStore } from './store.ts';

/** The digest of a whole volume, from those of its blocks (hex). */
export const wholeDigest = (digests: readonly string[]): string =>
  createHash('sha256')
    .update(Buffer.from(digests.join(''), 'hex'))
    .digest('hex');

const Hex64 = z.string().regex(/^[0-9a-f]{64}$/);
const Index = z.strictObject({
  version: z.literal(1),
  cluster: z.string(),
  volume: z.string(),
  /** When it was begun (ISO 8601, UTC). */
  at: z.string(),
  labels: z.array(z.string()),
  bytes: z.number().int().nonnegative(),
  blockBytes: z.number().int().positive(),
  /** Of the whole: SHA-256 of the digests of its blocks, one behind the other. */
  sha256: Hex64,
  /** Names of its blocks, in their order. */
  blocks: z.array(Hex64),
});
/** What makes a backup of its blocks. */
export type Index = z.infer<typeof Index>;

/** Where a backup lies: its cluster, its volume, when it was begun. */
export interface BackupAt {
  cluster: string;
  volume: string;
  at: string;
}
export const indexFolder = 'indexes/';
export const blockName = (id: string): string => `blocks/${id.slice(0, 2)}/${id}`;
const plain = (text: string) => encodeURIComponent(text);
export const volumeFolder = ({ cluster, volume }: Pick<BackupAt, 'cluster' | 'volume'>): string =>
  `${indexFolder}${plain(cluster)}/${plain(volume)}/`;
export const indexName = (b: BackupAt): string => `${volumeFolder(b)}${b.at.replace(/[:-]|\.\d+/g, '')}`;

/** What an index is encrypted under: two indexes of one name are two versions of it, and need two keys. */
const versionId = (name: string, sha256: string) => `${name} ${sha256}`;

export async function writeIndex(store: BlockStore, keys: StoreKeys, index: Index, signal?: AbortSignal): Promise<string> {
  const name = indexName(index);
  const packed = gzipSync(JSON.stringify(index));
  const digest = createHash('sha256').update(packed).digest('hex');
  await store.put(name, Buffer.concat([Buffer.from(digest, 'hex'), await sealed(keys, versionId(name, digest), packed)]), signal);
  return name;
}

/** @throws ProtocolError `digest` where it is damaged or was written with another key, `missing` where it is not there */
export async function readIndex(store: BlockStore, keys: StoreKeys, name: string, signal?: AbortSignal): Promise<Index> {
  const bytes = await store.get(name, signal);
  const packed = await opened(keys, versionId(name, bytes.subarray(0, 32).toString('hex')), bytes.subarray(32));
  const index = packed && Index.safeParse(parsed(packed));
  if (!index?.success)
    throw new ProtocolError('digest', store.title, `the index ${name} is damaged, or was written with another key`);
  return index.data;
}
const parsed = (bytes: Buffer): unknown => {
  try {
    return JSON.parse(gunzipSync(bytes).toString());
  } catch {
    return undefined;
  }
};

/** Names of all indexes that lie there. */
export async function indexNames(store: BlockStore, folder = indexFolder, signal?: AbortSignal): Promise<string[]> {
  const out: string[] = [];
  for await (const s of store.list(folder, signal)) out.push(s.name);
  return out.sort();
}
