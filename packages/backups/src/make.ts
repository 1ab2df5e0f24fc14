import { blockBytes } from '@praesidor/core/backup';
import { ProtocolError } from '@praesidor/protocols/dial';
import {
  type BackupAt,
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
  /** All of it, once, in its order: how the first backup is made. */
  all(signal?: AbortSignal): AsyncIterable<Buffer>;
  /** Digests of all its blocks, in their order, made where it lies. What it tells stays so as long as it is read. */
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
  /** Told as blocks are settled: bytes that are there, of all; 0 where it is not known how many those are. */
  progress?: (done: number, of: number) => void;
  /** Blocks on their way at once. */
  lanes?: number;
  /** Milliseconds until it is looked again whether others have cleared away, and between two signs that this one is at work. */
  waitMs?: number;
  renewMs?: number;
}

/**
 * Backs a volume up. The first time it is read once from end to end; later its blocks are told apart where it lies, and those that changed are read. Blocks that the store has already are
 * not sent, so that one that was ended in the middle goes on where it was. A backup counts from the moment that its index is there.
 *
 * @throws ProtocolError of the store or the source; `digest` where the volume gave other bytes than it told
 */
export async function makeBackup(
  store: BlockStore,
  keys: StoreKeys,
  source: Source,
  of: BackupAt,
  { labels = [], signal, progress, lanes = 4, waitMs = 2000, renewMs }: Making = {},
): Promise<Made> {
  const work = await AtWork.begin(store, signal, waitMs, renewMs);
  try {
    const sending = new Sending(store, keys, lanes, signal);
    const before = await newestOf(store, keys, of, signal);
    const blocks = before
      ? await changed(source, sending, of, new Set(before.blocks), progress, signal)
      : await whole(source, sending, progress, signal);
    await sending.ended();
    signal?.throwIfAborted();
    if (!(await work.holds(signal)))
      throw new ProtocolError('cut', store.title, 'it was away for so long that others may have cleared blocks away');
    const index: Index = {
      version: 1,
      cluster: of.cluster,
      volume: of.volume,
      at: of.at,
      labels: [...labels],
      bytes: blocks.reduce((sum, b) => sum + b.bytes, 0),
      blockBytes,
      sha256: wholeDigest(blocks.map((b) => b.sha256)),
      blocks: blocks.map((b) => blockId(keys, b.sha256)),
    };
    return { index, name: await writeIndex(store, keys, index, signal), sent: sending.sent };
  } finally {
    await work.end();
  }
}

/** A few things on their way at once; the first fault is the fault of all. */
class Lanes {
  private readonly under = new Set<Promise<void>>();
  private fault: unknown;
  constructor(private readonly most: number) {}
  /** Begins one, when there is room. @throws what an earlier one failed of */
  async add(act: () => Promise<void>): Promise<void> {
    while (this.under.size >= this.most) await Promise.race(this.under);
    if (this.fault !== undefined) throw this.fault;
    const one = act().catch((e: unknown) => {
      this.fault ??= e;
    });
    this.under.add(one);
    void one.then(() => this.under.delete(one));
  }
  async ended(): Promise<void> {
    await Promise.all(this.under);
    if (this.fault !== undefined) throw this.fault;
  }
}

/** What is sent to a store for one backup: each block once, however often it comes. */
class Sending {
  readonly sent = { blocks: 0, bytes: 0 };
  private readonly lanes: Lanes;
  private readonly there = new Map<string, Promise<boolean>>();
  constructor(
    private readonly store: BlockStore,
    private readonly keys: StoreKeys,
    lanes: number,
    private readonly signal: AbortSignal | undefined,
  ) {
    this.lanes = new Lanes(lanes);
  }
  /** Whether a block lies there; asked once. The first who hears that it does not is to send it. */
  private readonly taken = new Set<string>();
  async lacks(sha256: string): Promise<boolean> {
    const id = blockId(this.keys, sha256);
    let there = this.there.get(id);
    if (!there) this.there.set(id, (there = this.store.has(blockName(id), this.signal)));
    if ((await there) || this.taken.has(id)) return false;
    this.taken.add(id);
    return true;
  }
  async put(sha256: string, content: Buffer): Promise<void> {
    const id = blockId(this.keys, sha256);
    await this.store.put(blockName(id), await sealed(this.keys, id, content), this.signal);
    this.sent.blocks++;
    this.sent.bytes += content.length;
  }
  idOf = (sha256: string): string => blockId(this.keys, sha256);
  begin = (act: () => Promise<void>): Promise<void> => this.lanes.add(act);
  ended = (): Promise<void> => this.lanes.ended();
}

/** Reads all of it once. How much there will be is not known before its end. */
async function whole(
  source: Source,
  sending: Sending,
  progress: Making['progress'],
  signal: AbortSignal | undefined,
): Promise<BlockOf[]> {
  const out: BlockOf[] = [];
  let n = 0;
  let done = 0;
  for await (const bytes of source.all(signal)) {
    const at = n++;
    await sending.begin(async () => {
      const sha256 = await digestOf(bytes);
      out[at] = { n: at, bytes: bytes.length, sha256 };
      if (await sending.lacks(sha256)) await sending.put(sha256, bytes);
      done += bytes.length;
      progress?.(done, 0);
    });
  }
  await sending.ended();
  return out;
}

/** Sends what is other than it was. */
async function changed(
  source: Source,
  sending: Sending,
  of: BackupAt,
  known: ReadonlySet<string>,
  progress: Making['progress'],
  signal: AbortSignal | undefined,
): Promise<BlockOf[]> {
  const blocks = await source.blocks(signal);
  const all = blocks.reduce((sum, b) => sum + b.bytes, 0);
  let done = 0;
  const settle = (b: BlockOf) => {
    done += b.bytes;
    progress?.(done, all);
  };
  const lacking: BlockOf[] = [];
  for (const b of blocks)
    await sending.begin(async () => {
      // What the newest backup has is there: its index keeps it.
      if (known.has(sending.idOf(b.sha256)) || !(await sending.lacks(b.sha256))) settle(b);
      else lacking.push(b);
    });
  await sending.ended();
  lacking.sort((a, b) => a.n - b.n);
  for await (const { n, bytes } of source.read(lacking, signal)) {
    const b = blocks[n] as BlockOf;
    await sending.begin(async () => {
      if ((await digestOf(bytes)) !== b.sha256)
        throw new ProtocolError(
          'digest',
          of.volume,
          `block ${n} was read with other bytes than it was told with: somebody writes to it`,
        );
      await sending.put(b.sha256, bytes);
      settle(b);
    });
  }
  await sending.ended();
  return blocks;
}

/** The newest backup of a volume; undefined where there is none, or it cannot be read: its blocks are asked for one by one then. */
async function newestOf(
  store: BlockStore,
  keys: StoreKeys,
  of: BackupAt,
  signal: AbortSignal | undefined,
): Promise<Index | undefined> {
  const newest = (await indexNames(store, volumeFolder(of), signal)).at(-1);
  if (!newest) return undefined;
  return readIndex(store, keys, newest, signal).catch((e: unknown) => {
    if (e instanceof ProtocolError && (e.fault === 'digest' || e.fault === 'missing')) return undefined;
    throw e;
  });
}
