import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { KitFile, TracedField } from '@praesidor/core/files';
import type { Finding } from '@praesidor/core/checks';
import { type Doc, type Estate, estateDifference } from '@praesidor/core/model';
import type { Asked as SitesAsked } from '@praesidor/core/sites';
import type { Beside } from '@praesidor/core/book';
import { bundled } from '../bundle.ts';
import { Refusal } from '../refusal.ts';
import type { ChangeAsked, TaskName, Tasks } from './tasks.ts';

interface Waiting {
  name: TaskName;
  done: (output: never) => void;
  fail: (e: Error) => void;
}
/** Documents that are copied to the thread at once. */
const piece = 500;

interface Answer {
  id: number;
  output?: never;
  error?: string;
}
const tooLong = (name: TaskName, ms: number) =>
  new Refusal('away', `What follows from the plan took longer than ${ms / 1000} s to compute (${name}).`, {
    remedy: 'Nothing was changed by it. Try again when the server has less to do.',
  });
/** A thread, and what it is sent before it has begun: its program is made when the first thread of a process is needed. */
class Thread {
  private worker: Worker | undefined;
  private ended = false;
  private readonly before: unknown[] = [];

  constructor(answered: (a: Answer) => void, gone: (e: Error) => void) {
    bundled(fileURLToPath(new URL('./worker.ts', import.meta.url)))
      .then((program) => {
        if (this.ended) return;
        const worker = new Worker(program, { eval: true });
        worker.unref();
        worker
          .on('message', answered)
          .on('error', gone)
          .on('exit', () => gone(new Error('the thread ended')));
        this.worker = worker;
        for (const message of this.before.splice(0)) worker.postMessage(message);
      })
      .catch(gone);
  }
  post(message: unknown): void {
    if (this.worker) this.worker.postMessage(message);
    else this.before.push(message);
  }
  async end(): Promise<void> {
    this.ended = true;
    await this.worker?.terminate();
  }
}

/**
 * Computation on a thread of its own, so that the others who ask are answered meanwhile. The thread is started
 * when it is first needed; one that ends, or computes one thing for longer than a minute, fails what waits for it and is replaced.
 */
export class ComputeWorker {
  /** @param limitMs how long one thing may take, from when the thread comes to it: how long it waited for others says nothing of it */
  constructor(private readonly limitMs = 60_000) {}
  private limit: NodeJS.Timeout | undefined;
  private running: Thread | undefined;
  private readonly waiting = new Map<number, Waiting>();
  private last = 0;
  /** The estate that the thread has. */
  private told: Estate | undefined;

  run<K extends TaskName>(name: K, input: Parameters<Tasks[K]>[0]): Promise<ReturnType<Tasks[K]>> {
    const thread = this.thread();
    const id = ++this.last;
    return new Promise((done, fail) => {
      this.waiting.set(id, { name, done, fail });
      if (this.waiting.size === 1) this.watch();
      thread.post({ id, name, input });
    });
  }
  /** The thread takes one thing after another: the first that waits is the one that it computes. */
  private watch(): void {
    clearTimeout(this.limit);
    const [first] = this.waiting.values();
    if (first) this.limit = setTimeout(() => this.end(tooLong(first.name, this.limitMs)), this.limitMs);
  }

  /**
   * Tells the thread an estate before something is asked of it: the first time in pieces, so that nobody else waits while a large one is copied. Whoever tells it another
   * one meanwhile goes before.
   */
  async know(estate: Estate): Promise<void> {
    if (this.told) return;
    let part: Estate = { ...estate, hosts: [], reservations: [] };
    await this.run('keep', this.tell(part));
    for (let n = piece; this.has(part) && n < estate.hosts.length + piece; n += piece) {
      part = { ...part, hosts: estate.hosts.slice(0, n) };
      await this.run('keep', this.tell(part));
    }
    for (let n = piece; this.has(part) && n < estate.reservations.length + piece; n += piece) {
      part = { ...part, reservations: estate.reservations.slice(0, n) };
      await this.run('keep', this.tell(part));
    }
  }

  /** What keeps a charter from being built. The thread keeps the estate, and is told only what has changed since. */
  stopsOf = (estate: Estate, charter: string): Promise<Finding[]> => this.run('stopsOf', { ...this.tell(estate), charter });
  /** What beginning a change of a cluster holds, and what stops it, what it writes and its plan when that is held. */
  changeOf = (estate: Estate, asked: ChangeAsked) => this.run('changeOf', { ...this.tell(estate), ...asked });
  /** What documents would change in what is found. */
  consequencesOf = (estate: Estate, docs: Doc[]) => this.run('consequencesOf', { ...this.tell(estate), docs });
  /** The book of a site, as a page. */
  bookOf = (estate: Estate, site: string, beside: Omit<Beside, 'findings'>) =>
    this.run('bookOf', { ...this.tell(estate), site, beside });
  /** What a table of sites would make. */
  readSites = (estate: Estate, asked: SitesAsked) => this.run('readSites', { ...this.tell(estate), asked });
  /** A finding as it stands, by its identifier. */
  findingOf = (estate: Estate, id: string): Promise<Finding | undefined> => this.run('findingOf', { ...this.tell(estate), id });

  /** The kit of a charter, secrets named and not shown. */
  kitOf = (estate: Estate, charter: string, server: string): Promise<KitFile[]> =>
    this.run('kitOf', { ...this.tell(estate), charter, server });
  /** Which lines of it come from which field. */
  traceOf = (estate: Estate, charter: string, server: string, of: { host?: string; field?: string }): Promise<TracedField[]> =>
    this.run('traceOf', { ...this.tell(estate), charter, server, ...of });

  private has = (estate: Estate) => this.told === estate;
  private tell(estate: Estate) {
    this.thread();
    const before = this.told;
    this.told = estate;
    return before ? { difference: estateDifference(before, estate) } : { whole: estate };
  }

  async close(): Promise<void> {
    const { running } = this;
    this.end(new Error('the server is stopping'));
    await running?.end();
  }

  private thread(): Thread {
    if (this.running) return this.running;
    const thread: Thread = new Thread(
      ({ id, output, error }) => {
        const w = this.waiting.get(id);
        this.waiting.delete(id);
        this.watch();
        if (error === undefined) w?.done(output as never);
        else w?.fail(new Error(error));
      },
      (e) => {
        if (this.running === thread) this.end(e);
      },
    );
    this.running = thread;
    return thread;
  }

  private end(e: Error): void {
    const { running } = this;
    this.running = undefined;
    this.told = undefined;
    for (const w of this.waiting.values()) w.fail(e);
    this.waiting.clear();
    clearTimeout(this.limit);
    void running?.end();
  }
}
