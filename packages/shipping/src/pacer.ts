import { setTimeout as pause } from 'node:timers/promises';
import { ProtocolError } from '@praesidor/protocols/dial';

export interface Clock {
  now: () => number;
  sleep: (ms: number, signal?: AbortSignal) => Promise<unknown>;
}
export const wallClock: Clock = {
  now: Date.now,
  sleep: (ms, signal) => pause(ms, undefined, signal ? { signal } : {}),
};

/** The way is closed until then; what was moved stays moved. */
export class Closed extends Error {
  constructor(readonly until: string) {
    super(`the link may be used again from ${until}`);
  }
}

/**
 * Bytes at no more than a rate, all transfers of one shipment together: a bucket that fills with the rate and holds a
 * quarter of a second of it. `open` is asked as bytes pass; closed, the transfer ends with `Closed`.
 */
export class Pacer {
  private level: number;
  private at: number;
  private asked = Number.NEGATIVE_INFINITY;
  private readonly perMs: number;
  constructor(
    rateMbit: number | undefined,
    private readonly open: (nowIso: string) => { open: boolean; until?: string } = () => ({ open: true }),
    private readonly clock: Clock = wallClock,
  ) {
    this.perMs = rateMbit === undefined ? Number.POSITIVE_INFINITY : (rateMbit * 1e6) / 8 / 1000;
    this.level = this.perMs * 250;
    this.at = clock.now();
  }

  /** Bytes that pass in so many milliseconds at the rate. */
  bytesIn(ms: number): number {
    return this.perMs * ms;
  }

  /** Waits until `bytes` more may pass. @throws Closed */
  async pass(bytes: number, signal?: AbortSignal): Promise<void> {
    const now = this.clock.now();
    if (now - this.asked >= 1000) {
      this.asked = now;
      const o = this.open(new Date(now).toISOString());
      if (!o.open) throw new Closed(o.until ?? '');
    }
    if (!Number.isFinite(this.perMs)) return;
    this.level = Math.min(this.perMs * 250, this.level + (now - this.at) * this.perMs) - bytes;
    this.at = now;
    if (this.level < 0)
      await this.clock.sleep(Math.ceil(-this.level / this.perMs), signal).catch((e: unknown) => {
        throw ProtocolError.from(e, 'shipment');
      });
  }

  async *through(bytes: AsyncIterable<Buffer>, signal?: AbortSignal): AsyncGenerator<Buffer> {
    for await (const chunk of bytes) {
      await this.pass(chunk.length, signal);
      yield chunk;
    }
  }
}
