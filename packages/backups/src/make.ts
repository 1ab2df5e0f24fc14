import { ProtocolError } from '@praesidor/protocols/dial';
import {
  type BackupAt,
  blockBytes,
  blockName,
  indexNames,
  type Index,
  readIndex,
  volumeFolder,
  wholeDigest,
  writeIndex,
} from './index-of.ts';
import { blockId, digestOf, sealed, type StoreKeys } from './seal.ts';
import type { BlockStore } from './store.ts';
import { AtWork } from './turns.ts';

/** One block of a volume, before anything of it was read. */
export interface BlockOf {
  /** Its place, from 0 on. */
  n: number;
  bytes: number;
  /** SHA-256 of what it holds, hex. */
  sha256: string;
}
/** A volume that is read from, where it lies. */
export interface Source {
  /** All its blocks, in their order. What it tells stays so as long as it is read. */
  blocks(signal?: AbortSignal): Promise<BlockOf[]>;
  /** What some of them hold, in the order that they are asked in. */
  read(wanted: readonly BlockOf[], signal?: AbortSignal): AsyncIterable<{ n: number; bytes: Buffer }>;
}

export interface Made {
  index: Index;
  /** Where it lies. */
  name: string;
  /** Blocks and bytes that were sent, of those that there are. */
  sent: { blocks: number; bytes: number };
}
export interface Making {
  labels?: readonly string[];
  signal?: AbortSignal;
  /** Told as blocks are settled: bytes that are there, of all. */
  progress?: (done: number, of: number) => void;
  /** Blocks on their way at once. */
  lanes?: number;
  /** Milliseconds until it is looked again whether others have cleared away. */
  waitMs?: number;
}

/**
 * Backs a volume up: blocks that the store has already are not read and not sent, so that one that was ended in the middle goes on where it was. It counts from the moment
 * that its index is there.
 *
 * @throws ProtocolError of the store or the source; `digest` where the volume gave other bytes than it told
 */
export async function makeBackup(
  store: BlockStore,
  keys: StoreKeys,
  source: Source,
  of: BackupAt,
  { labels = [], signal, progress, lanes = 4, waitMs = 2000 }: Making = {},
): Promise<Made> {
  const work = await AtWork.begin(store, signal, waitMs);
  try {
    const blocks = await source.blocks(signal);
    const bytes = blocks.reduce((sum, b) => sum + b.bytes, 0);
    const ids = blocks.map((b) => blockId(keys, b.sha256));
    const sent = { blocks: 0, bytes: 0 };
    let done = 0;
    const settle = (b: BlockOf) => {
      done += b.bytes;
      progress?.(done, bytes);
    };
    const lacking = await notThere(store, keys, of, blocks, ids, settle, lanes, signal);
    // Each once, however often it comes.
    const first = new Map<string, BlockOf>();
    for (const b of lacking) if (!first.has(ids[b.n] as string)) first.set(ids[b.n] as string, b);
    const way: Promise<void>[] = [];
    let fault: unknown;
    for await (const { n, bytes: content } of source.read([...first.values()], signal)) {
      const b = blocks[n] as BlockOf;
      if ((await digestOf(content)) !== b.sha256)
        throw new ProtocolError(
          'digest',
          of.volume,
          `block ${n} was read with other bytes than it was told with: somebody writes to it`,
        );
      const id = ids[n] as string;
      const one = (async () => {
        await store.put(blockName(id), await sealed(keys, id, content), signal);
        await work.renew(signal);
        sent.blocks++;
        sent.bytes += content.length;
        settle(b);
      })().catch((e: unknown) => {
        fault ??= e;
      });
      way.push(one);
      void one.then(() => way.splice(way.indexOf(one), 1));
      if (way.length >= lanes) await Promise.race(way);
      if (fault !== undefined) break;
    }
    await Promise.all(way);
    if (fault !== undefined) throw fault;
    signal?.throwIfAborted();
    if (!(await work.holds(signal)))
      throw new ProtocolError('cut', store.title, 'it was away for so long that others may have cleared blocks away');
    const index: Index = {
      version: 1,
      cluster: of.cluster,
      volume: of.volume,
      at: of.at,
      labels: [...labels],
      bytes,
      blockBytes,
      sha256: wholeDigest(blocks.map((b) => b.sha256)),
      blocks: ids,
    };
    return { index, name: await writeIndex(store, keys, index, signal), sent };
  } finally {
    await work.end();
  }
}

/** Blocks that the store lacks. What the newest backup of the volume has is there; others are asked for. */
async function notThere(
  store: BlockStore,
  keys: StoreKeys,
  of: BackupAt,
  blocks: readonly BlockOf[],
  ids: readonly string[],
  settle: (b: BlockOf) => void,
  lanes: number,
  signal: AbortSignal | undefined,
): Promise<BlockOf[]> {
  const newest = (await indexNames(store, volumeFolder(of), signal)).at(-1);
  // One that cannot be read says nothing: its blocks are asked for one by one.
  const before = newest
    ? await readIndex(store, keys, newest, signal).catch((e: unknown) => {
        if (e instanceof ProtocolError && (e.fault === 'digest' || e.fault === 'missing')) return undefined;
        throw e;
      })
    : undefined;
  const known = new Set(before?.blocks);
  const out: BlockOf[] = [];
  const asked = new Map<string, Promise<boolean>>();
  let next = 0;
  const lane = async () => {
    for (let i = next++; i < blocks.length; i = next++) {
      const b = blocks[i] as BlockOf;
      const id = ids[i] as string;
      if (known.has(id)) {
        settle(b);
        continue;
      }
      let there = asked.get(id);
      if (!there) asked.set(id, (there = store.has(blockName(id), signal)));
      if (await there) settle(b);
      else out.push(b);
    }
  };
  await Promise.all(Array.from({ length: lanes }, lane));
  return out.sort((a, b) => a.n - b.n);
}
