import pg from 'pg';
import { heldOnly } from './held-only.ts';

export interface KeptOptions {
  name: string;
  /** Done on every new connection before anybody uses it: listening, locks. Fails: it is tried again. */
  onOpen: (client: pg.Client) => Promise<void>;
  /** The connection is gone, and with it whatever was held over it. */
  onLost?: () => void;
  log: (message: string, facts?: object) => void;
}

const firstPause = 250;
const longestPause = 8000;
/** Milliseconds between looks whether the other end still answers. */
const beat = 1000;
/** Milliseconds that a look may take: with the beat less than what PostgreSQL waits for one that went silent (`heldOnly`). */
const patience = 2000;

/**
 * One connection to PostgreSQL that is held for as long as the process lives: for what belongs to a connection, such as
 * notifications and advisory locks. Lost, it is made again by itself, with growing pauses. One that has gone silent
 * counts as lost.
 */
export class KeptConnection {
  private current: pg.Client | undefined;
  private closed = false;
  private timer: NodeJS.Timeout | undefined;
  private why = 'not connected yet';
  constructor(
    private readonly url: string,
    private readonly options: KeptOptions,
  ) {}

  /** @throws Error when the first connection cannot be made */
  async open(): Promise<this> {
    await this.connect();
    return this;
  }

  /** The connection, while there is one. */
  get client(): pg.Client | undefined {
    return this.current;
  }
  private turn: Promise<unknown> = Promise.resolve();
  /** A statement over this connection, one after the other. @throws Error when there is none */
  query = <R extends pg.QueryResultRow>(text: string, values?: unknown[]): Promise<pg.QueryResult<R>> => {
    const next = this.turn.then(() => {
      if (!this.current) throw new Error(`${this.options.name} has no connection to the database: ${this.why}`);
      return this.current.query<R>(text, values);
    });
    this.turn = next.catch(() => undefined);
    return next;
  };
  /** Why there is none; undefined: there is one. */
  get fault(): string | undefined {
    return this.current ? undefined : this.why;
  }

  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    const client = this.current;
    this.current = undefined;
    await client?.end().catch(() => undefined);
  }

  private async connect(): Promise<void> {
    const client = new pg.Client({
      connectionString: this.url,
      application_name: `praesidor ${this.options.name}`,
      ...heldOnly,
      connectionTimeoutMillis: 5000,
    });
    const lost = (e?: Error) => {
      if (this.current !== client) return;
      this.current = undefined;
      clearTimeout(this.timer);
      this.why = e?.message ?? 'the connection was closed';
      this.options.log(`${this.options.name}: the connection to the database was lost`, { error: this.why });
      this.options.onLost?.();
      if (!this.closed) this.again(firstPause);
    };
    client.on('error', lost).on('end', () => lost());
    try {
      await client.connect();
      await this.options.onOpen(client);
    } catch (e) {
      await client.end().catch(() => undefined);
      throw e;
    }
    if (this.closed) return void (await client.end().catch(() => undefined));
    this.current = client;
    this.look(client, lost);
  }

  private again(pause: number): void {
    this.timer = setTimeout(
      () =>
        void this.connect().catch((e: Error) => {
          this.why = e.message;
          if (!this.closed) this.again(Math.min(longestPause, pause * 2));
        }),
      pause * (0.75 + Math.random() / 2),
    );
    this.timer.unref();
  }

  private look(client: pg.Client, lost: (e: Error) => void): void {
    this.timer = setTimeout(() => {
      let answered = false;
      const silent = setTimeout(() => {
        // A process that was busy itself reads first what lies there for it.
        setImmediate(() =>
          setImmediate(() => {
            if (answered) return;
            lost(new Error('it does not answer'));
            client.end().catch(() => undefined);
          }),
        );
      }, patience);
      silent.unref();
      this.query('select 1')
        .then(() => this.current === client && this.look(client, lost))
        .catch(() => undefined)
        .finally(() => {
          answered = true;
          clearTimeout(silent);
        });
    }, beat);
    this.timer.unref();
  }
}
