import { createHash } from 'node:crypto';
import { Worker } from 'node:worker_threads';

/**
 * SHA-256 beside the thread that moves the bytes: hashing is the dearest part of a shipment, and while one thread
 * hashes a piece the other receives the next. The thread is started when it is first needed, and keeps no process alive.
 * It gives the bytes back: it allocates next to nothing, so that its own memory would not be cleared for a long time.
 */
const program = `
const { parentPort } = require('node:worker_threads');
const { createHash } = require('node:crypto');
const hashes = new Map();
parentPort.on('message', ({ id, bytes, end }) => {
  let hash = hashes.get(id);
  if (!hash) hashes.set(id, (hash = createHash('sha256')));
  if (bytes) hash.update(bytes);
  if (end) hashes.delete(id);
  parentPort.postMessage({ id, bytes, ...(end === 'digest' ? { hex: hash.digest('hex') } : {}) }, bytes ? [bytes.buffer] : []);
});`;

interface Waiting {
  done: (hex: string) => void;
  fail: (e: Error) => void;
}
let worker: Worker | undefined;
let last = 0;
const waiting = new Map<number, Waiting[]>();

function thread(): Worker {
  if (worker) return worker;
  const w = new Worker(program, { eval: true });
  w.unref();
  w.on('message', ({ id, hex }: { id: number; hex?: string }) =>
    waiting
      .get(id)
      ?.shift()
      ?.done(hex ?? ''),
  );
  w.on('error', (e) => {
    worker = undefined;
    for (const list of waiting.values()) for (const x of list.splice(0)) x.fail(e);
  });
  worker = w;
  return w;
}

/** Up to so many bytes a digest is made here: going to the other thread and back would take longer. */
const small = 65_536;

/** One digest in the making. `update` takes the bytes away: they must be a buffer of their own, and are not used afterwards. */
export class Hashing {
  private readonly id = ++last;
  private tail: Promise<string> = Promise.resolve('');
  private early: Buffer[] | undefined = [];
  private size = 0;

  private send(message: { bytes?: Uint8Array; end?: 'digest' | 'drop' }, transfer: ArrayBuffer[] = []): Promise<string> {
    const w = thread();
    const list = waiting.get(this.id) ?? [];
    waiting.set(this.id, list);
    const answered = new Promise<string>((done, fail) => {
      list.push({ done, fail });
    });
    answered.catch(() => undefined);
    // A process that waits for a digest must not end before it has it.
    w.ref();
    void answered
      .finally(() => {
        if (![...waiting.values()].some((l) => l.length)) w.unref();
      })
      .catch(() => undefined);
    w.postMessage({ id: this.id, ...message }, transfer);
    return answered;
  }

  /** Settles when what was given before is hashed: one piece is on the way while the next is filled. */
  async update(bytes: Buffer): Promise<void> {
    this.size += bytes.length;
    if (this.early) {
      this.early.push(bytes);
      if (this.size <= small) return;
      const all = this.early;
      this.early = undefined;
      for (const b of all) this.tail = this.send({ bytes: b }, [b.buffer as ArrayBuffer]);
      return;
    }
    const before = this.tail;
    this.tail = this.send({ bytes }, [bytes.buffer as ArrayBuffer]);
    await before;
  }
  /** The digest in hex; the object is of no use afterwards. */
  async digest(): Promise<string> {
    if (this.early) {
      const hash = createHash('sha256');
      for (const b of this.early) hash.update(b);
      return hash.digest('hex');
    }
    await this.tail;
    const hex = await this.send({ end: 'digest' });
    waiting.delete(this.id);
    return hex;
  }
  /** Lets go of a digest that nobody needs any more. */
  drop(): void {
    if (this.early) return;
    void this.send({ end: 'drop' }).then(
      () => waiting.delete(this.id),
      () => waiting.delete(this.id),
    );
  }
}
