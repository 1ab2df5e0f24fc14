import type { Principal } from '@praesidor/core/access';
import { counted } from '@praesidor/core/words';
import type { Level } from '@praesidor/core/address';
import { choose, type CsvPreview, spaceFor, writeCsv } from '@praesidor/core/ledger';
import { type Change, keyOf, type Reservation } from '@praesidor/core/model';
import type { EntityManager } from 'typeorm';
import { permit, refuseAlone } from '../../access/permit.ts';
import { whereIs } from '../../access/where.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { withinAllowance } from '../../estate/allowance.ts';
import {
  dropDoc,
  insertDoc,
  lockDocs,
  needDoc,
  putDoc,
  readDoc,
  refuseChangedSince,
  writeChanges,
} from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { spokenIn } from './spoken.ts';
import { Refusal } from '../../refusal.ts';

const day = 86_400_000;

/** @throws Refusal when the address belongs to a cluster that serves: it goes with its charter, not by hand */
async function refuseServing(m: EntityManager, doc: Reservation): Promise<void> {
  if (doc.owner.kind !== 'charter') return;
  const serving = (await m.query("select 1 from host_state where held_by = $1 and doc->>'state' = 'serving' limit 1", [
    doc.owner.name,
  ])) as unknown[];
  if (serving.length)
    throw new Refusal('not-now', `${doc.address} belongs to ${doc.owner.name}, which is serving.`, {
      remedy: 'Change its charter, or tear the cluster down first.',
    });
}

/** Gives an address back: at once, or after resting for some days, in which it is given to nobody who does not ask for it. */
export async function release(
  ctx: Context,
  network: string,
  address: string,
  restDays: number,
  who: string,
): Promise<{ act: number; resting: boolean }> {
  const key = `${network}/${address}`;
  return ctx.db.transaction(async (m) => {
    const { doc } = await needDoc(m, 'Reservation', key);
    await refuseServing(m, doc);
    const resting = restDays > 0 && !doc.resting;
    const change = resting
      ? await putDoc(m, { ...doc, resting: true, until: new Date(Date.now() + restDays * day).toISOString() }, who)
      : await dropDoc(m, 'Reservation', key, who);
    await refuseAlone(m, [change]);
    const what = resting ? 'released to rest' : 'released';
    const act = await record(m, who, what, address, { was: doc, restDays }, [change], 'ledger.change');
    return { act, resting };
  });
}

/** Moves a reservation to another address of its network or of another: name, MAC and owner go along. */
export async function move(
  ctx: Context,
  from: { network: string; address: string },
  to: { network: string; address?: string | undefined; pool?: string | undefined },
  restDays: number,
  who: string,
): Promise<{ reservation: Reservation; act: number }> {
  return ctx.db.transaction(async (m) => {
    // In the order of their names, so that two who move between the same networks do not wait for each other.
    await m.query('select 1 from ledger_state where network = any($1) order by network for update', [[from.network, to.network]]);
    const { doc } = await needDoc(m, 'Reservation', `${from.network}/${from.address}`);
    await refuseServing(m, doc);
    const { doc: network } = await needDoc(m, 'Network', to.network);
    const taken = (
      (await m.query('select host(address) as address from reservation where network = $1', [to.network])) as {
        address: string;
      }[]
    ).map((r) => r.address);
    const found = choose(network, spaceFor(network, taken, await spokenIn(m, network), to.pool), {
      ...(to.address ? { address: to.address } : {}),
      ...(to.pool ? { pool: to.pool } : {}),
    });
    if ('refused' in found) throw new Refusal('not-now', `${found.message}.`);
    const { resting: _, until: __, ...rest } = doc;
    const reservation: Reservation = {
      ...rest,
      network: to.network,
      address: found.addresses[0] as string,
      since: new Date().toISOString(),
    };
    if (keyOf(reservation) === keyOf(doc)) throw new Refusal('invalid', `${doc.address} is where it is already.`);
    // A resting address that is asked for by name is given; what rested there is put back when the move is undone.
    const rested = await readDoc(m, 'Reservation', keyOf(reservation));
    const changes: Change[] = [];
    if (rested?.doc.resting && to.address) changes.push(await dropDoc(m, 'Reservation', keyOf(reservation), who));
    if (restDays > 0) {
      const { name: _name, mac: _mac, ...bare } = doc;
      const until = new Date(Date.now() + restDays * day).toISOString();
      changes.push(await putDoc(m, { ...bare, resting: true, until }, who));
    } else changes.push(await dropDoc(m, 'Reservation', keyOf(doc), who));
    changes.push(await insertDoc(m, reservation, who));
    await refuseAlone(m, changes);
    return {
      reservation,
      act: await record(
        m,
        who,
        'moved an address',
        `${doc.address} to ${reservation.address}`,
        { name: doc.name },
        joined(changes),
        'ledger.change',
      ),
    };
  });
}

/** One change a document: what rested at an address and what came there are one. */
function joined(changes: readonly Change[]): Change[] {
  const out = new Map<string, Change>();
  for (const c of changes) out.set(c.key, { ...c, before: out.get(c.key)?.before ?? c.before });
  return [...out.values()];
}

export interface Past {
  network: string;
  address: string;
  since: string;
  until: string | null;
  by: string;
  doc: Reservation;
}

/** Who had an address, newest first; or who had anything of a network at a moment. */
export async function history(
  ctx: Context,
  about: { address?: string | undefined; network?: string | undefined; at?: string | undefined },
): Promise<Past[]> {
  return (await ctx.db.manager.query(
    `select network, host(address) as address, since, until, by, doc from reservation_history
      where ($1::inet is null or address = $1) and ($2::text is null or network = $2)
        and ($3::timestamptz is null or (since <= $3 and (until is null or until > $3)))
      order by since desc, id desc limit 500`,
    [about.address ?? null, about.network ?? null, about.at ?? null],
  )) as Past[];
}

/** How many addresses of a network were held at the end of each day on which that changed. */
export async function levels(ctx: Context, network: string): Promise<Level[]> {
  return (
    (await ctx.db.manager.query(
      `with moves as (
         select since as at, 1 as n from reservation_history where network = $1
         union all select until, -1 from reservation_history where network = $1 and until is not null),
       days as (select date_trunc('day', at) as day, sum(n)::int as n from moves group by 1)
       select day as at, sum(n) over (order by day)::int as taken from days order by day`,
      [network],
    )) as { at: Date; taken: number }[]
  ).map((l) => ({ at: l.at.toISOString(), taken: l.taken }));
}

/** Ends what has run out: held addresses begin to rest for a week, resting ones are free again. */
export async function expire(ctx: Context): Promise<number> {
  return ctx.db.transaction(async (m) => {
    const due = (await m.query(
      'select doc from reservation where until < now() order by key limit 1000 for update skip locked',
    )) as { doc: Reservation }[];
    for (const { doc } of due) {
      if (doc.resting) await dropDoc(m, 'Reservation', keyOf(doc), 'Praesidor');
      else await putDoc(m, { ...doc, resting: true, until: new Date(Date.now() + 7 * day).toISOString() }, 'Praesidor');
      await record(m, 'Praesidor', doc.resting ? 'set free after resting' : 'let run out', doc.address, { was: doc });
    }
    return due.length;
  });
}

/** What a table would do to the ledger, computed away from the event loop. */
export async function preview(ctx: Context, text: string, site: string | undefined): Promise<CsvPreview> {
  const { estate } = await loadEstate(ctx.db);
  const networks = estate.networks.filter((n) => !site || n.site === site);
  const domains = Object.fromEntries(estate.sites.map((s) => [s.name, s.domain]));
  return ctx.compute.run('readCsv', { text, networks, standing: estate.reservations, domains });
}

/** Takes a table into the ledger in one transaction; lines that are wrong keep all of it out, unless they are left out by name. */
export async function importCsv(
  ctx: Context,
  text: string,
  site: string | undefined,
  leaveOut: boolean,
  revision: number | undefined,
  principal: Principal,
) {
  const who = principal.login;
  const p = await preview(ctx, text, site);
  if (p.fault)
    throw new Refusal('invalid', `The table cannot be read: ${p.fault.message}.`, {
      places: [{ line: p.fault.line, message: p.fault.message }],
    });
  const wrong = p.lines.filter((l) => l.what === 'wrong');
  if (wrong.length && !leaveOut)
    throw new Refusal(
      'invalid',
      `Nothing was imported: ${counted(wrong.length, 'line is', 'lines are')} wrong, the first in line ${wrong[0]?.line}: ${wrong[0]?.message}.`,
      {
        places: wrong.slice(0, 100).map((l) => ({ line: l.line, message: l.message })),
        remedy: 'Mend the lines, or import the others without them.',
      },
    );
  const docs = p.lines.filter((l) => l.what === 'new' || l.what === 'changed').flatMap((l) => (l.doc ? [l.doc] : []));
  if (!docs.length) return { ...p.counts, act: undefined };
  const since = new Date().toISOString();
  return ctx.db.transaction(async (m) => {
    const networks = [...new Set(docs.map((d) => d.network))];
    permit(principal, 'ledger.change', undefined, await whereIs(m, [{ kind: 'Network', keys: networks }]));
    // In the order of their names, so that two who import for the same networks do not wait for each other.
    await m.query('select 1 from ledger_state where network = any($1) order by network for update', [networks]);
    const refs = docs.map((doc) => ({ kind: 'Reservation' as const, key: keyOf(doc) }));
    const standing = await lockDocs(m, refs);
    const changes = docs.map((doc): Change => {
      const key = keyOf(doc);
      const before = (standing.get(`Reservation ${key}`)?.doc as Reservation | undefined) ?? null;
      return { kind: 'Reservation', key, before, after: { ...doc, since: doc.since ?? since } };
    });
    await refuseAlone(m, changes);
    await withinAllowance(m, changes, () => writeChanges(m, changes, who, ''));
    if (revision !== undefined) await refuseChangedSince(m, changes, revision);
    const act = await record(
      m,
      who,
      'imported reservations',
      `${docs.length} lines`,
      p.counts,
      docs.length <= 5000 ? changes : undefined,
      'ledger.change',
    );
    return { ...p.counts, act };
  });
}

export async function exportCsv(ctx: Context, site: string | undefined): Promise<string> {
  const { estate } = await loadEstate(ctx.db);
  const names = new Set(estate.networks.filter((n) => !site || n.site === site).map((n) => n.name));
  return writeCsv(estate.reservations.filter((r) => names.has(r.network)));
}
