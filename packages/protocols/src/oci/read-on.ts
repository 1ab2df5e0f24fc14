import { setTimeout as pause } from 'node:timers/promises';
import { gathered } from '@praesidor/hashing';
import { ProtocolError, transient } from '../dial/index.ts';
import { readBlob } from './client.ts';
import type { RegistryAt } from './session.ts';

export interface ReadHooks {
  /** Hears of each break, with the byte where it goes on. */
  onCut?: (at: number) => void;
  patience?: number;
}

/**
 * The bytes `from` to `to` of a blob of `size` bytes, in one stream whatever happens on the way: after a dropped connection
 * it goes on at the byte where it broke (RFC 9110 §14), a few times; told to come later, it comes later.
 */
export async function* readOn(
  source: RegistryAt,
  repository: string,
  { digest, from, to, size }: { digest: string; from: number; to: number; size: number },
  hooks: ReadHooks = {},
): AsyncGenerator<Buffer> {
  let at = from;
  let idle = 0;
  while (at < to || size === 0) {
    const start = at;
    try {
      const stream = await readBlob(source, repository, digest, at, at === 0 && to === size ? undefined : to);
      for await (const bytes of gathered(stream)) {
        const fit = at + bytes.length > to ? bytes.subarray(0, to - at) : bytes;
        at += fit.length;
        yield fit;
        if (at >= to && fit !== bytes) break;
      }
      if (at >= to) return;
      throw new ProtocolError('cut', source.endpoint, `the connection was closed after ${at} of ${to} bytes`);
    } catch (cause) {
      const e = ProtocolError.from(cause, source.endpoint);
      if (!transient(e) || (at === start && ++idle > (hooks.patience ?? 6))) throw e;
      if (at > start) idle = 0;
      hooks.onCut?.(at);
      await pause(e.retryAfter ?? 50 * 2 ** Math.min(idle, 6), undefined, source.signal ? { signal: source.signal } : {}).catch(
        (x: unknown) => {
          throw ProtocolError.from(x, source.endpoint);
        },
      );
    }
  }
}
