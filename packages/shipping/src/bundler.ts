import { transient } from '@praesidor/protocols/dial';
import { readBundle, type RegistryAt, writeBundle } from '@praesidor/protocols/oci';
import type { Carriage, CarryHooks } from './carry.ts';
import { Closed, type Pacer } from './pacer.ts';

/** A blob up to this many bytes costs more to ask for than to send. */
const small = 65_536;
/** Fewer than these are as well carried one by one. */
const fewest = 4;
/** Bytes of one bundle: more takes memory at both ends, and is lost when the link breaks. */
const mostBytes = 2_000_000;
/** Blobs of one bundle: of those that are told of at once some are read while others are written. */
const mostBlobs = 40;
const lanes = 3;

interface Waiting {
  what: Carriage;
  hooks: Pick<CarryHooks, 'onBytes' | 'onCut' | 'onWrong'>;
  done: (carried: boolean) => void;
  fail: (e: unknown) => void;
}

/**
 * Carries small blobs many in one request, between two registries that both know how: the product's own. It only ever makes
 * things faster. Whatever does not go well, for one blob or for all of a bundle, is left to be carried alone, where breaks,
 * wrong bytes and refusals are dealt with.
 */
export class Bundler {
  private waiting: Waiting[] = [];
  private under = 0;
  private known: Promise<boolean> | undefined;

  constructor(
    private readonly source: RegistryAt,
    private readonly to: RegistryAt,
    private readonly pacer: Pacer | undefined,
  ) {}

  /** Whether the blob stands at the target now; false: it is to be carried alone. @throws Closed when the way's hours end */
  take(what: Carriage, hooks: Waiting['hooks']): Promise<boolean> {
    if (what.bytes > small || what.bytes === 0 || what.upload !== undefined) return Promise.resolve(false);
    return new Promise((done, fail) => {
      this.waiting.push({ what, hooks, done, fail });
      // Whoever is told in the same turn is in the same bundle.
      setImmediate(() => void this.next());
    });
  }

  private async next(): Promise<void> {
    if (this.under >= lanes || !this.waiting.length) return;
    this.under++;
    this.known ??= knowBundles(this.source, this.to);
    const together = await this.known;
    const list = this.part();
    try {
      if (!together || list.length < fewest) for (const w of list) w.done(false);
      else await this.carry(list);
    } finally {
      this.under--;
      void this.next();
    }
  }

  private part(): Waiting[] {
    // What passes in two seconds, so that a break on a thin link costs little.
    const most = Math.min(mostBytes, Math.max(small, this.pacer?.bytesIn(2000) ?? mostBytes));
    let bytes = 0;
    let n = 0;
    while (n < this.waiting.length && n < mostBlobs && (n === 0 || bytes < most))
      bytes += (this.waiting[n++] as Waiting).what.bytes;
    return this.waiting.splice(0, n);
  }

  private async carry(list: readonly Waiting[]): Promise<void> {
    const left = new Set(list);
    try {
      const bodies = await readBundle(
        this.source,
        list.map(({ what }) => ({ repository: what.from ?? what.repository, digest: what.digest })),
      );
      const got = list.flatMap((w, n) => (bodies[n]?.length === w.what.bytes ? [{ w, body: bodies[n] as Buffer }] : []));
      await this.pacer?.pass(
        got.reduce((n, { body }) => n + body.length, 0),
        this.source.signal,
      );
      const answers = await writeBundle(
        this.to,
        got.map(({ w, body }) => ({ repository: w.what.repository, digest: w.what.digest, body })),
      );
      for (const [n, { w, body }] of got.entries()) {
        if (answers[n] === 400) w.hooks.onWrong();
        if (answers[n] !== 201) continue;
        w.hooks.onBytes(body.length);
        left.delete(w);
        w.done(true);
      }
    } catch (e) {
      if (e instanceof Closed) {
        for (const w of left) w.fail(e);
        return;
      }
      if (transient(e)) list[0]?.hooks.onCut();
    }
    for (const w of left) w.done(false);
  }
}

/** Asked of both at once: what is read in a bundle and cannot be sent in one would pass the link for nothing. */
const knowBundles = (source: RegistryAt, to: RegistryAt): Promise<boolean> =>
  Promise.all([readBundle(source, []), writeBundle(to, [])]).then(
    () => true,
    () => false,
  );
