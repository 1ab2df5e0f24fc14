import { type Asking, asking } from '../../auth/asking.ts';
import { parseIp, type Space } from '@praesidor/core/address';
import { choose, spaceFor, type Spoken, type Wish } from '@praesidor/core/ledger';
import { type Change, keyOf, type Network, type Owner, type Reservation } from '@praesidor/core/model';
import type { DataSource, EntityManager } from 'typeorm';
import { toRefusal } from '../../db/errors.ts';
import { refuseAlone } from '../../access/permit.ts';
import { withinAllowance } from '../../estate/allowance.ts';
import { tellMany } from '../../events/bus.ts';
import { spokenIn, stampOf } from './spoken.ts';
import { Refusal } from '../../refusal.ts';

/** A wish for addresses of a network, with what is written beside them. */
export interface Asked extends Wish {
  network: string;
  name?: string | undefined;
  mac?: string | undefined;
  owner: Owner;
  until?: string | undefined;
  note?: string | undefined;
}
export interface Granted {
  reservations: Reservation[];
  /** The record by which it can be undone. */
  act: number;
}
interface Request {
  asked: Asked;
  who: string;
  /** Whose request it is: several are answered together. */
  by: Asking | undefined;
  done: (g: Granted) => void;
  refuse: (e: unknown) => void;
}

/** What is taken in a network, as it stood at a count of its ledger. */
interface Known {
  seq: string;
  /** Versions of the documents that speak for addresses of this network. */
  stamp: string;
  network: Network;
  spoken: Spoken[];
  held: Map<string, { resting: boolean; owner: string }>;
  spaces: Map<string, Space>;
}

const most = 400;
const changes = (list: readonly Reservation[]) =>
  list.map((r): Change => ({ kind: 'Reservation', key: keyOf(r), before: null, after: r }));

/**
 * Gives out addresses. Requests for one network that come while another is being written are granted together, in
 * one transaction that holds the network's counter; the counter also tells whether what is remembered of the
 * network still holds, so that any number of servers may do this at once. PostgreSQL's constraints stand behind.
 */
export class Allocator {
  private readonly waiting = new Map<string, Request[]>();
  private readonly known = new Map<string, Known>();
  constructor(private readonly db: DataSource) {}

  reserve(asked: Asked, who: string): Promise<Granted> {
    return new Promise((done, refuse) => {
      const request = { asked, who, by: asking(), done, refuse };
      const queue = this.waiting.get(asked.network);
      if (queue) {
        queue.push(request);
        return;
      }
      this.waiting.set(asked.network, [request]);
      void this.work(asked.network);
    });
  }

  private async work(network: string): Promise<void> {
    for (;;) {
      const queue = this.waiting.get(network) ?? [];
      const batch = queue.splice(0, most);
      if (!batch.length) break;
      await this.grant(network, batch);
    }
    this.waiting.delete(network);
  }

  /** Grants a batch whole; when the database refuses it, each by itself, so that one cannot spoil the others. */
  private async grant(network: string, batch: Request[]): Promise<void> {
    try {
      const answers = await this.db.transaction((m) => this.write(m, network, batch));
      for (const [i, answer] of answers.entries()) {
        const r = batch[i] as Request;
        if (answer instanceof Refusal) r.refuse(answer);
        else r.done(answer);
      }
    } catch (e) {
      this.known.delete(network);
      if (batch.length === 1) batch[0]?.refuse(toRefusal(e));
      else for (const one of batch) await this.grant(network, [one]);
    }
  }

  private async write(m: EntityManager, name: string, batch: readonly Request[]): Promise<(Granted | Refusal)[]> {
    const known = await this.loadNetworkState(m, name);
    const made: Reservation[][] = [];
    const freed: string[] = [];
    const answers = batch.map(({ asked }): Refusal | undefined => {
      const found = this.find(known, asked);
      made.push(found instanceof Refusal ? [] : found);
      if (found instanceof Refusal) return found;
      for (const r of found) {
        if (known.held.get(r.address)?.resting) freed.push(keyOf(r));
        known.held.set(r.address, { resting: false, owner: r.owner.name });
      }
      return undefined;
    });
    await refuseAlone(m, changes(made.flat()));
    if (freed.length) await m.query('delete from reservation where key = any($1)', [freed]);
    const all = made.flatMap((list, i) => list.map((r) => ({ r, who: batch[i]?.who ?? '' })));
    if (all.length) {
      await withinAllowance(m, changes(all.map(({ r }) => r)), () =>
        m.query('insert into reservation (key, doc, updated_by) select * from unnest($1::text[], $2::jsonb[], $3::text[])', [
          all.map(({ r }) => keyOf(r)),
          all.map(({ r }) => JSON.stringify(r)),
          all.map(({ who }) => who),
        ]),
      );
      await tellMany(
        m,
        'Reservation',
        all.map(({ r }) => keyOf(r)),
      );
    }
    const good = batch.map((_, i) => i).filter((i) => !answers[i]);
    const acts = await this.record(
      m,
      good.map((i) => ({ who: batch[i]?.who ?? '', by: batch[i]?.by, list: made[i] ?? [] })),
    );
    known.seq = await seqOf(m, name);
    this.known.set(name, known);
    return batch.map((_, i) => answers[i] ?? { reservations: made[i] ?? [], act: acts[good.indexOf(i)] ?? 0 });
  }

  /** Takes the network's counter, and what is taken in it: remembered where the counter still stands there. */
  private async loadNetworkState(m: EntityManager, name: string): Promise<Known> {
    const [row] = (await m.query(
      'select n.doc, s.seq from ledger_state s join network n on n.key = s.network where s.network = $1 for update of s',
      [name],
    )) as { doc: Network; seq: string }[];
    if (!row) throw new Refusal('not-found', `There is no network ${name}.`);
    const known = this.known.get(name);
    this.known.delete(name);
    const stamp = await stampOf(m, row.doc);
    if (known?.seq === row.seq && known.stamp === stamp) return known;
    const taken = (await m.query(
      "select host(address) as address, coalesce((doc->>'resting')::boolean, false) as resting, doc->'owner'->>'name' as owner from reservation where network = $1",
      [name],
    )) as { address: string; resting: boolean; owner: string }[];
    const spoken = await spokenIn(m, row.doc);
    return { seq: row.seq, stamp, spoken, network: row.doc, held: new Map(taken.map((t) => [t.address, t])), spaces: new Map() };
  }

  private find(known: Known, asked: Asked): Reservation[] | Refusal {
    const { network, held, spaces, spoken } = known;
    const pool = asked.pool ?? '';
    let space = spaces.get(pool);
    if (!space) {
      space = spaceFor(network, held.keys(), spoken, asked.pool);
      spaces.set(pool, space);
    }
    const found = choose(network, space, asked);
    if ('refused' in found)
      return found.refused === 'outside'
        ? new Refusal('invalid', `${found.message}.`, { places: [{ path: 'address', message: `outside ${network.prefix}` }] })
        : new Refusal('not-now', `${found.message}.`, { remedy: 'Shrink a scope, or use another pool or network.' });
    for (const address of found.addresses) {
      const there = held.get(address);
      if (there && !there.resting)
        return new Refusal('held-twice', `${address} is reserved already, for ${there.owner}.`, {
          remedy: 'Take the next free one.',
        });
    }
    for (const address of found.addresses) {
      const { v, n } = parseIp(address);
      for (const s of spaces.values()) s.take({ v, first: n, last: n });
    }
    const since = new Date().toISOString();
    return found.addresses.map((address, i) => ({
      apiVersion: 'praesidor/v1',
      kind: 'Reservation',
      address,
      network: network.name,
      ...(asked.name ? { name: found.addresses.length > 1 ? asked.name.replace(/^([^.]+)/, `$1-${i + 1}`) : asked.name } : {}),
      ...(asked.mac && found.addresses.length === 1 ? { mac: asked.mac } : {}),
      owner: asked.owner,
      origin: 'by-hand',
      since,
      ...(asked.until ? { until: asked.until } : {}),
      ...(asked.note ? { note: asked.note } : {}),
    }));
  }

  /** One record an act, with what undoes it. */
  private async record(
    m: EntityManager,
    acts: readonly { who: string; by: Asking | undefined; list: readonly Reservation[] }[],
  ): Promise<number[]> {
    if (!acts.length) return [];
    const rows = (await m.query(
      "insert into audit (who, act, subject, detail, changes, under, token, address) select who, 'reserved', subject, detail::jsonb, changes::jsonb, 'ledger.change', token, address from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::text[], $6::text[]) with ordinality as t(who, subject, detail, changes, token, address, n) order by n returning id",
      [
        acts.map((a) => a.who),
        acts.map((a) => a.list.map((r) => r.address).join(' ')),
        acts.map((a) => JSON.stringify({ owner: a.list[0]?.owner })),
        acts.map((a) => JSON.stringify(changes(a.list))),
        acts.map((a) => a.by?.token ?? null),
        acts.map((a) => a.by?.address ?? null),
      ],
    )) as { id: string }[];
    return rows.map((r) => Number(r.id));
  }
}

const seqOf = async (m: EntityManager, name: string): Promise<string> =>
  ((await m.query('select seq from ledger_state where network = $1', [name])) as { seq: string }[])[0]?.seq ?? '';
