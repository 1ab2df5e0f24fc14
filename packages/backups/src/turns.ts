import { randomBytes } from 'node:crypto';
import { setTimeout as pause } from 'node:timers/promises';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { BlockStore, Stored } from './store.ts';

/**
 * Who makes backups and who clears blocks away keep out of each other's way by what they put down in the store itself, since several installations may use one. Whoever
 * begins puts its mark down first and looks for the other's then: of two that begin at once at least one sees the other.
 */
const working = 'at-work/';
const clearing = 'clearing/';
/** A mark that nobody has renewed for so long is of somebody who is gone. */
export const staleMs = 3_600_000;
/** How often somebody at work renews its mark. */
export const renewMs = 300_000;

async function marks(store: BlockStore, folder: string, signal?: AbortSignal): Promise<Stored[]> {
  const out: Stored[] = [];
  for await (const s of store.list(folder, signal)) out.push(s);
  return out;
}
const token = () => randomBytes(8).toString('hex');
/** By the clock of the store: ours may be wrong. */
const fresh = (list: readonly Stored[], now: number) => list.filter((s) => now - s.at < staleMs);
async function put(store: BlockStore, folder: string, name: string, signal?: AbortSignal): Promise<number> {
  await store.put(name, Buffer.from('1'), signal);
  const mine = (await marks(store, folder, signal)).find((s) => s.name === name);
  if (!mine) throw new ProtocolError('answer', store.title, `${name} was written there and is not there`);
  return mine.at;
}

/** Somebody makes a backup: no block is cleared away meanwhile. */
export class AtWork {
  private lost = false;
  private renewed = Date.now();
  private renewing: Promise<void> | undefined;
  private readonly timer: NodeJS.Timeout;
  private constructor(
    private readonly store: BlockStore,
    private readonly name: string,
    everyMs: number,
  ) {
    // Also while nothing is sent: to tell the blocks of a large volume takes its host for hours.
    this.timer = setInterval(() => {
      this.renewing ??= this.renew()
        .catch(() => undefined)
        .finally(() => {
          this.renewing = undefined;
        });
    }, everyMs);
    this.timer.unref();
  }

  /** Waits until nobody clears away. */
  static async begin(store: BlockStore, signal: AbortSignal | undefined, waitMs: number, everyMs = renewMs): Promise<AtWork> {
    for (;;) {
      const name = working + token();
      const now = await put(store, working, name, signal);
      const others = fresh(await marks(store, clearing, signal), now);
      if (!others.length) return new AtWork(store, name, everyMs);
      await store.remove([name], signal);
      await pause(waitMs, undefined, signal ? { signal } : {});
    }
  }
  /** A mark that was taken away is not put down again: blocks may be gone since. */
  private async renew(): Promise<void> {
    // Whoever slept for so long counts as gone, whatever lies there at this moment.
    if (Date.now() - this.renewed >= staleMs || !(await this.store.has(this.name))) {
      this.lost = true;
      return;
    }
    await this.store.put(this.name, Buffer.from('1'));
    this.renewed = Date.now();
  }
  /** Whether its mark has lain there all the time: one that was away for too long has lost it, and blocks may be gone. */
  holds = async (signal?: AbortSignal): Promise<boolean> => !this.lost && (await this.store.has(this.name, signal));
  async end(): Promise<void> {
    clearInterval(this.timer);
    // What is on its way would put the mark down again.
    await this.renewing;
    await this.store.remove([this.name]).catch(() => undefined);
  }
}

/**
 * Clears away while nobody makes a backup.
 *
 * @returns undefined where somebody does: then nothing was done
 */
export async function whileNobodyWorks<T>(
  store: BlockStore,
  signal: AbortSignal | undefined,
  act: () => Promise<T>,
): Promise<T | undefined> {
  const name = clearing + token();
  const now = await put(store, clearing, name, signal);
  try {
    const others = (await marks(store, clearing, signal)).filter((s) => s.name !== name);
    const at = await marks(store, working, signal);
    if (fresh(at, now).length || fresh(others, now).length) return undefined;
    await store.remove(
      [...at, ...others].map((s) => s.name),
      signal,
    );
    return await act();
  } finally {
    await store.remove([name]).catch(() => undefined);
  }
}
