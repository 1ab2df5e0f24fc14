import { Refusal } from '../refusal.ts';

/** What a token may ask for: so many a second over time, and so many at once. */
export interface Rate {
  perSecond: number;
  atOnce: number;
}
export const usualRates: Readonly<Record<'reads' | 'writes', Rate>> = {
  reads: { perSecond: 600, atOnce: 1200 },
  writes: { perSecond: 150, atOnce: 300 },
};

interface Left {
  n: number;
  at: number;
}

/**
 * Keeps each token to a rate: one that asks without end does not take the others' turn. Counted by every server for itself. What is left grows by the
 * rate, up to what may be asked at once; nothing is put down of whoever is below it.
 */
export class Rates {
  private readonly left = new Map<string, Left>();
  constructor(
    private readonly rates: Readonly<Record<'reads' | 'writes', Rate>> = usualRates,
    private readonly now = () => Date.now(),
  ) {}

  /** @param who a token @throws Refusal `too-many`, with the seconds after which the next is taken */
  take(who: string, what: 'reads' | 'writes'): void {
    const { perSecond, atOnce } = this.rates[what];
    const key = `${what} ${who}`;
    const now = this.now();
    const known = this.left.get(key);
    const n = known ? Math.min(atOnce, known.n + ((now - known.at) / 1000) * perSecond) : atOnce;
    if (n < 1) {
      this.left.set(key, { n, at: now });
      const seconds = Math.max(1, Math.ceil((1 - n) / perSecond));
      throw new Refusal('too-many', `This token asks too often: ${perSecond} ${what} a second are answered.`, {
        remedy: 'Wait as long as Retry-After says, then ask again.',
        retryAfter: seconds,
      });
    }
    this.left.set(key, { n: n - 1, at: now });
    if (this.left.size > 10_000) this.forget(now);
  }

  /** Those that have all left again count as never seen. */
  private forget(now: number): void {
    for (const [key, { n, at }] of this.left) {
      const { perSecond, atOnce } = this.rates[key.startsWith('reads') ? 'reads' : 'writes'];
      if (n + ((now - at) / 1000) * perSecond >= atOnce) this.left.delete(key);
    }
  }
}
