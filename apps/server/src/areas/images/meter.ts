import type { Context } from '../../context.ts';
import type { Shipment } from '../../db/tables.ts';
import { publishTransient } from '../../events/bus.ts';

/** Digests of wrong blobs that are remembered of a shipment. */
const kept = 50;

/** Amount and rate of a shipment, written at most four times a second. */
export class Meter {
  private moved = 0;
  /** How often what moves was cut off, and went on. */
  cuts = 0;
  private readonly bad: Set<string>;
  private last = 0;
  private readonly since = Date.now();
  private timer: NodeJS.Timeout | undefined;
  constructor(
    private readonly ctx: Context,
    private readonly s: Shipment,
  ) {
    this.bad = new Set(s.wrong);
  }
  /** Bytes that are where they belong, moved now or found there. */
  add(n: number): void {
    this.moved += n;
    this.later();
  }
  cut(): void {
    this.cuts++;
    this.later();
  }
  /** A blob whose bytes were others on arrival; it is sent again. */
  wrong(digest: string): void {
    if (this.bad.size < kept) this.bad.add(digest);
    this.later();
  }
  private later(): void {
    this.timer ??= setTimeout(
      () => {
        this.timer = undefined;
        void this.write().catch(() => undefined);
      },
      Math.max(0, 250 - (Date.now() - this.last)),
    );
  }
  async write(): Promise<void> {
    clearTimeout(this.timer);
    this.timer = undefined;
    this.last = Date.now();
    const rate = Math.round(this.moved / Math.max(0.001, (this.last - this.since) / 1000));
    await this.ctx.db.manager.query('update shipment set moved_bytes = $2, rate = $3, resumed = $4, wrong = $5 where id = $1', [
      this.s.id,
      Math.min(this.moved, this.s.bytes),
      rate,
      this.s.resumed + this.cuts,
      [...this.bad],
    ]);
    await publishTransient(this.ctx.db.manager, 'ShipmentProgress', this.s.label);
  }
}
