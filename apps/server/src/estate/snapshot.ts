import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import type { SnapshotDifference } from '@praesidor/contract';
import { type Estate, estateDifference, estateForPage } from '@praesidor/core/model';
import type { DataSource } from 'typeorm';
import { docTables } from '../db/tables.ts';
import { loadKept } from './load.ts';

/** A state of the estate, read once for all who ask for it. */
interface State {
  /** Names it: of this process, and of no other. */
  name: string;
  estate: Estate;
  revision: number;
  versions: Record<string, number>;
}
/** A state as it is sent. */
export interface Snapshot {
  /** Names what is sent (RFC 9110 §8.8.3): whoever has it already is told so. */
  etag: string;
  text: Buffer;
  zipped: Buffer;
}
const zip = promisify(gzip);
/** A snapshot tells the time that its findings are reckoned from: it is read anew after this, whatever stands. */
const freshMs = 60_000;
/** States that differences can be told from: a page that was asleep for longer reads everything. */
const most = 40;

/**
 * Keeps the last states. Whether the last one still holds is one small question to the database: the position of the last event, and
 * the row versions of what is observed. Many who ask at once wait for one reading.
 */
export class Snapshots {
  private readonly states: State[] = [];
  private kept: { stamp: string; at: number; state: State } | undefined;
  private reading: { stamp: string; done: Promise<State> } | undefined;
  private readonly sent = new WeakMap<State, Map<string, Promise<Snapshot>>>();
  private count = 0;
  private readonly process = Math.random().toString(36).slice(2, 10);
  constructor(private readonly db: DataSource) {}

  /** The whole of the estate as it stands; for a page, without what only the registries themselves are asked for. */
  async whole(page: boolean): Promise<Snapshot> {
    const state = await this.now();
    return this.once(state, page ? 'page' : 'whole', () => {
      const { estate, revision, versions, name } = state;
      return { estate: page ? estateForPage(estate) : estate, revision, versions, state: name };
    });
  }

  /** What has changed since a state that somebody has; undefined where that is not known here any more. */
  async since(name: string): Promise<Snapshot | undefined> {
    const after = await this.now();
    const before = this.states.find((s) => s.name === name);
    if (!before) return undefined;
    return this.once(after, `since ${name}`, (): SnapshotDifference => {
      const versions: Record<string, number> = {};
      for (const [k, v] of Object.entries(after.versions)) if (before.versions[k] !== v) versions[k] = v;
      for (const k of Object.keys(before.versions)) if (!(k in after.versions)) versions[k] = 0;
      const difference = estateDifference(estateForPage(before.estate), estateForPage(after.estate));
      return { since: name, state: after.name, revision: after.revision, difference, versions };
    });
  }

  private once(state: State, what: string, make: () => object): Promise<Snapshot> {
    const of = this.sent.get(state) ?? new Map<string, Promise<Snapshot>>();
    this.sent.set(state, of);
    let made = of.get(what);
    if (!made) {
      made = (async () => {
        const text = Buffer.from(JSON.stringify(make()));
        return { etag: `"${state.name} ${what}"`, text, zipped: await zip(text, { level: 1 }) };
      })();
      of.set(what, made);
    }
    return made;
  }

  private async now(): Promise<State> {
    const stamp = await this.stamp();
    if (this.kept?.stamp === stamp && Date.now() - this.kept.at < freshMs) return this.kept.state;
    if (this.reading?.stamp === stamp) return this.reading.done;
    const done = this.read(stamp);
    const reading = { stamp, done };
    this.reading = reading;
    try {
      return await done;
    } finally {
      if (this.reading === reading) this.reading = undefined;
    }
  }

  private async stamp(): Promise<string> {
    const rows = (table: string) => `(select count(*) || '.' || coalesce(sum(xmin::text::bigint), 0) from ${table})`;
    const [row] = (await this.db.query(
      `select concat_ws(' ', (select max(position) from event), ${rows('observation')}, ${rows('sighting')}, ${rows('keyring')}, ${rows('acceptance')}) as stamp`,
    )) as { stamp: string }[];
    return row?.stamp ?? '';
  }

  private async read(stamp: string): Promise<State> {
    const now = new Date();
    const whole = await this.db.transaction('REPEATABLE READ', async (m) => {
      const { estate, revision } = await loadKept(m, now);
      const versions: Record<string, number> = {};
      for (const kind of ['Charter', 'Network', 'Site', 'Host'] as const)
        for (const r of await m.find(docTables[kind], { select: { key: true, version: true } }))
          versions[`${kind} ${r.key}`] = r.version;
      return { estate, revision, versions };
    });
    const state: State = { ...whole, name: `${this.process}-${++this.count}` };
    this.kept = { stamp, at: now.getTime(), state };
    this.states.push(state);
    if (this.states.length > most) this.states.shift();
    return state;
  }
}
