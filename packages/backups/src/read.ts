import { ProtocolError } from '@praesidor/protocols/dial';
import { blockName, indexNames, type Index, readIndex, wholeDigest } from './index-of.ts';
import { blockId, digestOf, opened, type StoreKeys } from './seal.ts';
import type { BlockStore } from './store.ts';

export interface DamagedBlock {
  id: string;
  /** Its place in the backup. */
  n: number;
  is: 'missing' | 'damaged';
}
/** A backup cannot be given back as it was. */
export class Damaged extends Error {
  constructor(
    readonly index: Pick<Index, 'cluster' | 'volume' | 'at'>,
    readonly blocks: readonly DamagedBlock[],
  ) {
    const [one] = blocks;
    super(
      blocks.length === 1
        ? `block ${one?.n} (${one?.id.slice(0, 12)}) is ${one?.is}`
        : `${blocks.length} blocks are ${blocks.every((b) => b.is === 'missing') ? 'missing' : 'damaged'}, the first is block ${one?.n} (${one?.id.slice(0, 12)})`,
    );
  }
}

interface Content {
  content: Buffer;
  sha256: string;
}
/** What one block holds. */
async function contentOf(
  store: BlockStore,
  keys: StoreKeys,
  id: string,
  signal?: AbortSignal,
): Promise<Content | DamagedBlock['is']> {
  let bytes: Buffer;
  try {
    bytes = await store.get(blockName(id), signal);
  } catch (e) {
    if (e instanceof ProtocolError && e.fault === 'missing') return 'missing';
    throw e;
  }
  const content = await opened(keys, id, bytes);
  if (!content) return 'damaged';
  const sha256 = await digestOf(content);
  return blockId(keys, sha256) === id ? { content, sha256 } : 'damaged';
}

/** Where a volume is given back to; pieces come in their order, one after the other. */
export type Sink = (piece: { n: number; bytes: Buffer }) => Promise<void>;

/**
 * Reads a backup back, block by block in order, and holds each against its name and all of them against the digest of the whole. Nothing of a block that is damaged reaches
 * the sink.
 *
 * @param from the first block that the sink is still to have; those before are not read, and the whole is not held against its digest then
 * @throws Damaged with the first block that is; ProtocolError of the store
 */
export async function giveBack(
  store: BlockStore,
  keys: StoreKeys,
  index: Index,
  sink: Sink,
  {
    signal,
    progress,
    from = 0,
    ahead = 4,
  }: { signal?: AbortSignal; progress?: (done: number, of: number) => void; from?: number; ahead?: number } = {},
): Promise<void> {
  const digests: string[] = [];
  const coming: Promise<Content | DamagedBlock['is']>[] = [];
  let next = from;
  let bytes = Math.min(index.bytes, from * index.blockBytes);
  for (let n = from; n < index.blocks.length; n++) {
    for (; next < index.blocks.length && next < n + ahead; next++) {
      const one = contentOf(store, keys, index.blocks[next] as string, signal);
      one.catch(() => undefined);
      coming.push(one);
    }
    const content = await (coming.shift() as Promise<Content | DamagedBlock['is']>);
    signal?.throwIfAborted();
    if (typeof content === 'string') throw new Damaged(index, [{ id: index.blocks[n] as string, n, is: content }]);
    digests.push(content.sha256);
    await sink({ n, bytes: content.content });
    bytes += content.content.length;
    progress?.(bytes, index.bytes);
  }
  if (from === 0 && (wholeDigest(digests) !== index.sha256 || bytes !== index.bytes))
    throw new ProtocolError(
      'digest',
      store.title,
      `all blocks of ${index.volume} are as they were sent, and together they are not what was backed up`,
    );
}

/** Reads every block of a backup. @returns those that are not as they were sent */
export async function damageIn(
  store: BlockStore,
  keys: StoreKeys,
  index: Index,
  { signal, progress }: { signal?: AbortSignal; progress?: (done: number, of: number) => void } = {},
): Promise<DamagedBlock[]> {
  const out: DamagedBlock[] = [];
  const seen = new Map<string, DamagedBlock['is'] | undefined>();
  for (const [n, id] of index.blocks.entries()) {
    if (!seen.has(id)) {
      const content = await contentOf(store, keys, id, signal);
      seen.set(id, typeof content === 'string' ? content : undefined);
    }
    const is = seen.get(id);
    if (is) out.push({ id, n, is });
    progress?.(n + 1, index.blocks.length);
  }
  return out;
}

/** Backups that need one of some blocks: a block is shared by all that had the same content. */
export async function needing(
  store: BlockStore,
  keys: StoreKeys,
  ids: ReadonlySet<string>,
  signal?: AbortSignal,
): Promise<Index[]> {
  const out: Index[] = [];
  for (const name of await indexNames(store, undefined, signal)) {
    const index = await readIndex(store, keys, name, signal).catch((e: unknown) => {
      if (e instanceof ProtocolError && (e.fault === 'digest' || e.fault === 'missing')) return undefined;
      throw e;
    });
    if (index?.blocks.some((b) => ids.has(b))) out.push(index);
  }
  return out;
}
