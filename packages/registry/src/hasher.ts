import { Worker } from 'node:worker_threads';

/** Too many passwords wait to be hashed: come again later. */
export class TooMany extends Error {
  constructor(readonly seconds: number) {
    super(`too many log-ins at once; come again in ${seconds} s`);
  }
}

/** Run by the thread: one after the other, with a pause as long as each took, so that log-ins take half a core at most. */
const work = `
const { parentPort } = require('node:worker_threads');
const { scryptSync } = require('node:crypto');
const rest = new Int32Array(new SharedArrayBuffer(4));
parentPort.on('message', ({ n, password, salt }) => {
  const began = performance.now();
  parentPort.postMessage({ n, key: scryptSync(password, salt, 32, { N: 16384, r: 8, p: 1 }) });
  Atomics.wait(rest, 0, 0, performance.now() - began);
});
`;

/**
 * Hashes passwords (scrypt, RFC 7914) in a thread of its own: neither the event loop nor the pool that reads files waits
 * for it, however many are shown. At most `most` wait; more are told to come again.
 */
export class Hasher {
  private worker: Worker | undefined;
  private readonly waiting = new Map<number, { done: (key: Buffer) => void; fail: (e: Error) => void }>();
  private count = 0;
  constructor(private readonly most = 32) {}

  /** @throws TooMany */
  hash(password: string, salt: Buffer): Promise<Buffer> {
    if (this.waiting.size >= this.most) return Promise.reject(new TooMany(2));
    const n = ++this.count;
    return new Promise<Buffer>((done, fail) => {
      this.waiting.set(n, { done, fail });
      const worker = this.running();
      worker.ref();
      worker.postMessage({ n, password, salt });
    });
  }
  private running(): Worker {
    if (this.worker) return this.worker;
    const worker = new Worker(work, { eval: true });
    worker.on('message', ({ n, key }: { n: number; key: Uint8Array }) => {
      this.waiting.get(n)?.done(Buffer.from(key));
      this.waiting.delete(n);
      // An idle thread keeps no process alive.
      if (!this.waiting.size) worker.unref();
    });
    worker.on('error', (e) => this.ended(worker, e as Error));
    worker.on('exit', () => this.ended(worker, new Error('the thread that hashes passwords has ended')));
    this.worker = worker;
    return worker;
  }
  private ended(worker: Worker, e: Error): void {
    if (this.worker !== worker) return;
    this.worker = undefined;
    for (const w of this.waiting.values()) w.fail(e);
    this.waiting.clear();
  }
}
