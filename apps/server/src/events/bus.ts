import type { ServerEvent } from '@praesidor/contract';
import { type Change, differences } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { KeptConnection } from '../db/kept-connection.ts';
import { listText } from '../compute/turns.ts';

type Listener = (event: ServerEvent) => void;

/**
 * Tells every process of the installation, in the transaction that made the change. Lost when that is rolled back. Its
 * position is drawn by the database at the commit, and it is called out there.
 */
export const tell = (m: EntityManager, kind: string, subject: string, by = '') =>
  m.query('insert into event (kind, subject, by) values ($1, $2, $3)', [kind, subject, by]);

/** Tells of many subjects of one kind. All are kept; of more than a screen shows, only that there were many is called out. */
export const tellMany = (m: EntityManager, kind: string, subjects: readonly string[], by = '') =>
  m.query('insert into event (kind, subject, by) select $1, unnest($2::text[]), $3', [kind, subjects, by]);

/** Tells what became of documents, with who did it and the fields that changed. */
export async function tellChanges(m: EntityManager, changes: readonly (Change & { by: string })[]): Promise<void> {
  if (!changes.length) return;
  await m.query(
    'insert into event (kind, subject, by, fields) select kind, key, by, array(select jsonb_array_elements_text(fields)) from jsonb_to_recordset($1::jsonb) as c(kind text, key text, by text, fields jsonb)',
    [await listText(changes, (c) => ({ kind: c.kind, key: c.key, by: c.by, fields: fieldsOf(c) }))],
  );
}
/** Which top-level fields a change touches; none for a document that comes or goes as a whole. */
export const fieldsOf = (c: Change): string[] =>
  c.before && c.after ? [...new Set(differences(c.before, c.after).map((d) => String(d.path[0])))] : [];

/** Tells without a record: for what is looked at live and is of no use later (progress, a log line). */
export const publishTransient = (m: EntityManager, kind: string, subject: string) =>
  m.query("select pg_notify('praesidor', json_build_object('id', 0, 'kind', $1::text, 'subject', $2::text)::text)", [
    kind,
    subject,
  ]);

/** Listens on one connection of its own, which is made again when it is lost. */
export class Bus {
  private readonly listeners = new Set<Listener>();
  private readonly reopened = new Set<() => void>();
  private readonly connection: KeptConnection;
  private opened = false;

  constructor(url: string, log: (message: string, facts?: object) => void) {
    this.connection = new KeptConnection(url, {
      name: 'events',
      log,
      onOpen: async (client) => {
        client.on('notification', (n) => {
          const event = JSON.parse(n.payload ?? '{}') as ServerEvent;
          for (const l of this.listeners) l(event);
        });
        await client.query('listen praesidor');
        // What was called out while nobody listened is read again by whoever cares.
        if (this.opened) for (const again of this.reopened) again();
        this.opened = true;
      },
    });
  }

  async open(): Promise<this> {
    await this.connection.open();
    return this;
  }

  /** Why nothing is heard at the moment; undefined: it is. */
  get fault(): string | undefined {
    return this.connection.fault;
  }

  on(listener: Listener): () => void {
    this.listeners.add(listener);
    return () => {
      this.listeners.delete(listener);
    };
  }

  /** Called when events may have been missed: the connection was lost and is there again. */
  onReopened(listener: () => void): () => void {
    this.reopened.add(listener);
    return () => {
      this.reopened.delete(listener);
    };
  }

  /** Resolves at the next event that fits, or after `ms`. */
  next(fits: (e: ServerEvent) => boolean, ms: number, signal?: AbortSignal): Promise<void> {
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
      if (signal?.aborted) end();
    });
  }

  close = (): Promise<void> => this.connection.close();
}
