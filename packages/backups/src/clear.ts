import { ProtocolError } from '@praesidor/protocols/dial';
import { blockName, indexNames, readIndex } from './index-of.ts';
import type { StoreKeys } from './seal.ts';
import type { BlockStore } from './store.ts';
import { whileNobodyWorks } from './turns.ts';

export interface Cleared {
  blocks: number;
  bytes: number;
}
const atOnce = 500;

/**
 * Takes blocks away that no backup needs. The indexes that lie there say what is needed, whoever wrote them: where one cannot be read, nothing is taken away.
 *
 * @returns undefined where somebody makes a backup: it is to be tried later
 * @throws ProtocolError of the store; `digest` where an index cannot be read
 */
export const clearBlocks = (store: BlockStore, keys: StoreKeys, signal?: AbortSignal): Promise<Cleared | undefined> =>
  whileNobodyWorks(store, signal, async () => {
    const needed = new Set<string>();
    for (const name of await indexNames(store, undefined, signal)) {
      // One that somebody drops at this moment needs nothing any more.
      const index = await readIndex(store, keys, name, signal).catch((e: unknown) => {
        if (e instanceof ProtocolError && e.fault === 'missing') return undefined;
        throw e;
      });
      for (const id of index?.blocks ?? []) needed.add(blockName(id));
    }
    const out = { blocks: 0, bytes: 0 };
    let goes: string[] = [];
    const take = async () => {
      await store.remove(goes, signal);
      goes = [];
    };
    for await (const s of store.list('blocks/', signal)) {
      if (needed.has(s.name)) continue;
      goes.push(s.name);
      out.blocks++;
      out.bytes += s.bytes;
      if (goes.length >= atOnce) await take();
    }
    if (goes.length) await take();
    return out;
  });
