import pg from 'pg';
import type { EntityManager } from 'typeorm';

export interface BusEvent {
  id: number;
  kind: string;
  subject: string;
}
type Listener = (event: BusEvent) => void;

/** Tells every process of the installation, in the transaction that made the change. Lost when that is rolled back. */
export async function tell(m: EntityManager, kind: string, subject: string): Promise<void> {
  await m.query(
    "with e as (insert into event (kind, subject) values ($1, $2) returning id) select pg_notify('praesidor', json_build_object('id', e.id, 'kind', $1::text, 'subject', $2::text)::text) from e",
    [kind, subject],
  );
}

/** Tells of many subjects of one kind. All are kept; of more than a screen shows, only the last is called out. */
export async function tellMany(m: EntityManager, kind: string, subjects: readonly string[]): Promise<void> {
  if (subjects.length > 500) {
    await m.query('insert into event (kind, subject) select $1, unnest($2::text[])', [kind, subjects.slice(0, -1)]);
    return tell(m, kind, subjects.at(-1) as string);
  }
  await m.query(
    "with e as (insert into event (kind, subject) select $1, unnest($2::text[]) returning id, subject) select pg_notify('praesidor', json_build_object('id', e.id, 'kind', $1::text, 'subject', e.subject)::text) from e",
    [kind, subjects],
  );
}

/** Tells without a record: for what is looked at live and is of no use later (progress, a log line). */
export const whisper = (m: EntityManager, kind: string, subject: string) =>
  m.query("select pg_notify('praesidor', json_build_object('id', 0, 'kind', $1::text, 'subject', $2::text)::text)", [
    kind,
    subject,
  ]);

/** Listens on one connection of its own, and connects again when it is lost. */
export class Bus {
  private readonly listeners = new Set<Listener>();
  private client: pg.Client | undefined;
  private closed = false;
  constructor(private readonly url: string) {}

  async open(): Promise<this> {
    await this.connect();
    return this;
  }

  private async connect(): Promise<void> {
    const client = new pg.Client({ connectionString: this.url });
    client.on('notification', (n) => {
      const event = JSON.parse(n.payload ?? '{}') as BusEvent;
      for (const l of this.listeners) l(event);
    });
    const again = () => {
      if (this.closed || this.client !== client) return;
      this.client = undefined;
      setTimeout(() => {
        void this.connect().catch(again);
      }, 1000);
    };
    client.on('error', again).on('end', again);
    this.client = client;
    await client.connect();
    await client.query('listen praesidor');
  }

  on(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => {
      this.listeners.delete(listener);
    };
  }

  /** Resolves at the next event that fits, or after `ms`. */
  next(fits: (e: BusEvent) => boolean, ms: number, signal?: AbortSignal): Promise<void> {
    return new Promise((done) => {
      const end = () => {
        clearTimeout(timer);
        off();
        signal?.removeEventListener('abort', end);
        done();
      };
      const timer = setTimeout(end, ms);
      const off = this.on((e) => {
        if (fits(e)) end();
      });
      signal?.addEventListener('abort', end, { once: true });
    });
  }

  async close(): Promise<void> {
    this.closed = true;
    await this.client?.end();
  }
}
