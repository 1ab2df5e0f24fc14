import type { Principal } from '@praesidor/core/access';
import type { EntityManager } from 'typeorm';
import {
  type Edit,
  type Estate,
  issuesOf,
  keyOf,
  kinds,
  type NameRecord,
  type ServedRecord,
  type ServedZone,
  type Zone,
} from '@praesidor/core/model';
import { type Drift, drift, inParts, plannedRecords, recordKey, recordsOfZone, updateFor } from '@praesidor/core/naming';
import { ProtocolError } from '@praesidor/protocols/dial';
import { transfer, type TsigKey, update } from '@praesidor/protocols/dns';
import type { Context } from '../../context.ts';
import { changePlan } from '../../estate/change.ts';
import { needDoc, needIn } from '../../estate/documents.ts';
import { record } from '../../audit.ts';
import { loadEstate, observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { credential } from '../keyring/service.ts';

export async function keyOfZone(ctx: Context, m: EntityManager, zone: Zone): Promise<TsigKey> {
  const to = { use: 'tsig', document: `Zone ${zone.name}`, address: zone.primary } as const;
  const c = await credential(ctx.config, m, zone.key, to);
  const why = c.leash({ host: zone.primary, address: zone.primary });
  if (why) throw new ProtocolError('kept-back', zone.primary, why);
  return { name: c.user, secret: Buffer.from(c.secret, 'base64') };
}

/** Reads a zone from its primary by signed transfer and keeps what it serves. */
export async function readZone(ctx: Context, name: string): Promise<ServedZone> {
  const { doc: zone } = await needDoc(ctx.db.manager, 'Zone', name);
  let seen: ServedZone;
  try {
    const key = await keyOfZone(ctx, ctx.db.manager, zone);
    seen = {
      at: new Date().toISOString(),
      ...(await transfer(
        { address: zone.primary, exits: ctx.dialer.exits, purpose: 'zone' },
        name,
        key,
        Math.floor(Date.now() / 1000),
      )),
    };
  } catch (e) {
    if (!(e instanceof ProtocolError || e instanceof Refusal)) throw e;
    seen = {
      at: new Date().toISOString(),
      serial: 0,
      records: [],
      error: e.message,
      fault: e instanceof ProtocolError ? e.fault : 'kept-back',
    };
  }
  await ctx.db.transaction(async (m) => {
    const [before] = (await m.query(
      "select data->>'serial' as serial, data->>'error' as error from observation where kind = 'zone' and subject = $1",
      [name],
    )) as { serial: string; error: string | null }[];
    await observe(m, 'zone', name, seen);
    if (!before || Number(before.serial) !== seen.serial || (before.error ?? undefined) !== seen.error)
      await tell(m, 'ServedZone', name);
  });
  return seen;
}

export async function oursOf(m: EntityManager, zone: string): Promise<Set<string>> {
  return new Set(
    ((await m.query('select record from served_by_us where zone = $1', [zone])) as { record: string }[]).map((r) => r.record),
  );
}

/** What the plan would change at the server, against a fresh reading of the zone. */
export async function driftOf(ctx: Context, estate: Estate, name: string, served: ServedZone) {
  needIn(estate, 'Zone', name);
  return drift(recordsOfZone(plannedRecords(estate), name), served.records, await oursOf(ctx.db.manager, name));
}

export interface Sent {
  zone: string;
  added: number;
  changed: number;
  removed: number;
  serial: number;
  left: number;
}

/** Sends a difference as signed updates, each of which the server takes only while it serves what was read. */
async function send(ctx: Context, estate: Estate, name: string, d: Drift): Promise<number> {
  const zone = needIn(estate, 'Zone', name);
  const key = await keyOfZone(ctx, ctx.db.manager, zone);
  let steps = 0;
  for (const part of inParts(d)) {
    const wanted = updateFor(part);
    try {
      await update(
        { address: zone.primary, exits: ctx.dialer.exits, purpose: 'zone' },
        name,
        wanted,
        key,
        Math.floor(Date.now() / 1000),
      );
    } catch (e) {
      if (!(e instanceof ProtocolError)) throw e;
      const done = steps ? ` ${steps} changes before it were taken; sending again goes on behind them.` : ' Nothing was changed.';
      throw new Refusal('unreachable', `The update of ${name} was not taken. ${e.message}.${done}`, {
        remedy: 'Mend it at the server, read the zone again, and send.',
      });
    }
    steps += wanted.steps.length;
  }
  return steps;
}

async function readOrRefuse(ctx: Context, name: string): Promise<ServedZone> {
  const served = await readZone(ctx, name);
  if (served.error)
    throw new Refusal('unreachable', `${name} could not be read: ${served.error}.`, {
      remedy: 'Mend that first: without knowing what is served, nothing is changed.',
    });
  return served;
}

/** Sends the smallest signed update that takes the zone to the plan, reads it back, and says what still differs. */
export async function sendZone(ctx: Context, name: string, who: string): Promise<Sent> {
  const before = await readOrRefuse(ctx, name);
  const { estate } = await loadEstate(ctx.db);
  const d = await driftOf(ctx, estate, name, before);
  const steps = await send(ctx, estate, name, d);
  const planned = recordsOfZone(plannedRecords(estate), name);
  await ctx.db.transaction(async (m) => {
    await m.query('delete from served_by_us where zone = $1', [name]);
    if (planned.length)
      await m.query('insert into served_by_us select $1, unnest($2::text[]) on conflict do nothing', [
        name,
        planned.map(recordKey),
      ]);
    // What was not sent is not put down as sent.
    if (steps) await record(m, who, 'sent a DNS update', name, { steps });
  });
  const after = await readZone(ctx, name);
  const left = await driftOf(ctx, estate, name, after);
  return {
    zone: name,
    added: d.add.length,
    changed: d.change.length,
    removed: d.remove.length,
    serial: after.serial,
    left: left.add.length + left.change.length + left.remove.length,
  };
}

/** Records that are served and never were ours, taken into the plan as they stand: from then on they are kept. */
export async function addServedRecords(
  ctx: Context,
  zone: string,
  records: readonly ServedRecord[],
  who: Principal,
): Promise<{ added: number; act: number }> {
  const { estate } = await loadEstate(ctx.db);
  const served = await readOrRefuse(ctx, zone);
  const foreign = new Set((await driftOf(ctx, estate, zone, served)).foreign.map(recordKey));
  const wanted = records.filter((r) => foreign.has(recordKey(r)));
  const lost = records.find((r) => !foreign.has(recordKey(r)));
  if (lost)
    throw new Refusal('not-now', `${lost.name} ${lost.type} ${lost.value} is not served, or is the plan's already.`, {
      remedy: 'Read the zone again.',
    });
  const edits = wanted.map((r): Edit => ({ op: 'put', doc: docOf(zone, r) }));
  return ctx.db.transaction(async (m) => {
    const changes = await changePlan(m, who, edits, { act: 'zones.add-served', via: 'hand', note: 'added from the server' });
    return {
      added: edits.length,
      act: await record(
        m,
        who.login,
        'added served records to the plan',
        zone,
        { records: edits.map((e) => (e.op === 'put' ? keyOf(e.doc) : '')) },
        changes,
        'zones.add-served',
      ),
    };
  });
}

/** Removes foreign records from the server, each by its name, type and value; nothing else goes. */
export async function removeForeign(
  ctx: Context,
  zone: string,
  records: readonly ServedRecord[],
  who: string,
): Promise<{ removed: number; serial: number }> {
  const served = await readOrRefuse(ctx, zone);
  const { estate } = await loadEstate(ctx.db);
  const foreign = new Map((await driftOf(ctx, estate, zone, served)).foreign.map((r) => [recordKey(r), r]));
  const wanted = records.map((r) => foreign.get(recordKey(r)));
  if (wanted.some((r) => !r))
    throw new Refusal('not-now', 'A record among them is not served, or is not foreign.', { remedy: 'Read the zone again.' });
  const remove = wanted as ServedRecord[];
  const stay = [...foreign.values()].filter((f) => !remove.includes(f));
  await send(ctx, estate, zone, { add: [], change: [], remove, foreign: stay, same: 0 });
  await record(ctx.db.manager, who, 'removed foreign records', zone, { records: remove.map(recordKey) });
  return { removed: remove.length, serial: (await readZone(ctx, zone)).serial };
}

const docOf = (zone: string, r: ServedRecord): NameRecord => {
  const result = kinds.Record.safeParse({ kind: 'Record', zone, name: r.name, type: r.type, value: r.value, ttl: r.ttl });
  if (result.success) return result.data;
  throw new Refusal(
    'invalid',
    `${r.name} ${r.type} cannot be kept in the plan: ${issuesOf(result.error, kinds.Record)[0]?.message}.`,
  );
};
