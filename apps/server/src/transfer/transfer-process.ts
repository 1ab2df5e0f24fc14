import { type ChildProcess, fork } from 'node:child_process';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { Carriage, CarryHooks, Fetch, FetchHooks } from '@praesidor/shipping';
import { errorOf, faultOf, type TransferEvent, type TransferCommand, type Route } from './messages.ts';
import { program } from './program.ts';

interface Blob {
  hooks: FetchHooks & Partial<CarryHooks>;
  done: (answer: string) => void;
  fail: (e: Error) => void;
}
/** A way that is open until it is closed: blobs are carried over it to another registry, or fetched into cases. */
export interface OpenRoute {
  carry: (what: Carriage, hooks: CarryHooks) => Promise<void>;
  fetch: (what: Fetch, hooks: FetchHooks) => Promise<string>;
  close: () => void;
}

/**
 * Carries blobs in a process of its own, so that people are answered while a link is full: what passes is never seen by
 * the server, which resolves names, keeps the record, and is asked for both. The process is started when it is first
 * needed; one that ends fails what it carried, and is replaced. It ends with the server.
 */
export class TransferProcess {
  private child: ChildProcess | undefined;
  private readonly blobs = new Map<number, Blob>();
  private readonly names = new Map<number, (name: string) => Promise<string>>();
  private last = 0;

  /** `dir`: where its program is laid. */
  constructor(private readonly dir: string) {}

  /** `resolve` gives the address of a name; `signal` stops what is under way and closes. */
  async open(what: Route, resolve: (name: string) => Promise<string>, signal: AbortSignal): Promise<OpenRoute> {
    const child = this.process(await program(this.dir));
    const route = ++this.last;
    this.names.set(route, resolve);
    tell(child, { do: 'open', route, what });
    const close = () => {
      signal.removeEventListener('abort', close);
      if (this.names.delete(route)) tell(child, { do: 'stop', route });
    };
    signal.addEventListener('abort', close);
    const pass = (order: (id: number) => TransferCommand, hooks: Blob['hooks']) => {
      if (signal.aborted || this.child !== child) return Promise.reject(ended((what.to ?? what.source).endpoint, signal.aborted));
      const id = ++this.last;
      return new Promise<string>((done, fail) => {
        this.blobs.set(id, { hooks, done, fail });
        tell(child, order(id));
      });
    };
    return {
      close,
      carry: async (blob, hooks) => void (await pass((id) => ({ do: 'carry', route, id, what: blob }), hooks)),
      fetch: (piece, hooks) => pass((id) => ({ do: 'fetch', route, id, what: piece }), hooks),
    };
  }

  /** The process that carries, while there is one. */
  get pid(): number | undefined {
    return this.child?.pid;
  }

  close(): void {
    this.end();
  }

  private process(path: string): ChildProcess {
    if (this.child) return this.child;
    // It is given nothing of the server's: neither its environment nor its loader. What passes lies outside its heap, and is
    // given back from one place. The small rooms are swept often, which frees what has passed; a large room to begin with
    // keeps its whole heap from being marked for every few pieces, which would cost as much as carrying them.
    const child = fork(path, {
      env: { MALLOC_ARENA_MAX: '1' },
      execArgv: ['--max-old-space-size=256', '--initial-old-space-size=64', '--max-semi-space-size=2'],
      serialization: 'advanced',
      stdio: 'ignore',
    });
    child.unref();
    child.channel?.unref();
    child.on('message', (news) => void this.hear(child, news as TransferEvent));
    const gone = () => {
      if (this.child === child) this.end();
    };
    child.on('error', gone).on('exit', gone);
    this.child = child;
    return child;
  }

  private async hear(child: ChildProcess, news: TransferEvent): Promise<void> {
    if ('call' in news) {
      const { call } = news;
      try {
        if ('address' in news) {
          const value = await this.names.get(news.route)?.(news.address);
          tell(child, { do: 'answer', call, value: value ?? '' });
        } else {
          await this.blobs.get(news.id)?.hooks.onOpened?.(news.opened);
          tell(child, { do: 'answer', call });
        }
      } catch (e) {
        tell(child, { do: 'answer', call, fault: faultOf(e) });
      }
      return;
    }
    const blob = this.blobs.get(news.id);
    if (!blob) return;
    if ('bytes' in news) return blob.hooks.onBytes(news.bytes);
    if ('cut' in news) return blob.hooks.onCut();
    if ('wrong' in news) return blob.hooks.onWrong?.();
    this.blobs.delete(news.id);
    if ('done' in news) blob.done(news.done);
    else blob.fail(errorOf(news.fault));
  }

  private end(): void {
    const { child } = this;
    this.child = undefined;
    this.names.clear();
    for (const b of this.blobs.values()) b.fail(ended('this server', false));
    this.blobs.clear();
    child?.kill('SIGKILL');
  }
}

/** One that is gone is not told; what waited for it was failed when it went. */
const tell = (child: ChildProcess, order: TransferCommand) => {
  if (child.connected) child.send(order, () => undefined);
};
const ended = (where: string, byUs: boolean) =>
  byUs
    ? new ProtocolError('cancelled', where, 'stopped by us')
    : new ProtocolError('cut', where, 'the process that carries shipments ended in the middle');
