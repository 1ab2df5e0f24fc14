import type { EntityManager } from 'typeorm';
import { consecutive, formatIp, holds, parseIp, parsePrefix, prefixRange, spaceOf } from '@praesidor/core/address';
import { type Estate, keyOf, type Owner, type Reservation, type ServedZone } from '@praesidor/core/model';
import { drift, plannedRecords, recordKey, recordsOfZone, updateFor } from '@praesidor/core/naming';
import { ProtocolError } from '@praesidor/protocols/dial';
import { transfer, type TsigKey, update } from '@praesidor/protocols/dns';
import type { Context } from '../../context.ts';
import { insertDoc, needDoc, needIn } from '../../estate/documents.ts';
import { loadEstate, observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { credential } from '../keyring/service.ts';

export interface Wish {
  network: string;
  address?: string | undefined;
  count: number;
  name?: string | undefined;
  mac?: string | undefined;
  owner: Owner;
}

/**
 * Reserves one named address, the next free one, or `count` in a row. When somebody else takes one between
 * looking and writing, PostgreSQL refuses it and the next free ones are tried.
 */
export async function reserve(ctx: Context, wish: Wish, who: string): Promise<Reservation[]> {
  for (let attempt = 0; ; attempt++) {
    try {
      return await ctx.db.transaction(async (m) => {
        const { doc: network } = await needDoc(m, 'Network', wish.network);
        const taken = (
          (await m.query('select host(address) as address from reservation where network = $1', [wish.network])) as {
            address: string;
          }[]
        ).map((r) => r.address);
        const addresses = wish.address ? named(network.prefix, wish.address, wish.count) : nextFree(network, taken, wish.count);
        const made: Reservation[] = [];
        for (const [i, address] of addresses.entries()) {
          const name = wish.name && wish.count > 1 ? wish.name.replace(/^([^.]+)/, `$1-${i + 1}`) : wish.name;
          const r: Reservation = {
            apiVersion: 'praesidor/v1',
            kind: 'Reservation',
            address,
            network: network.name,
            ...(name ? { name } : {}),
            ...(wish.mac ? { mac: wish.mac } : {}),
            owner: wish.owner,
            origin: 'by-hand',
            since: new Date().toISOString(),
          };
          await insertDoc(m, r, who);
          made.push(r);
        }
        return made;
      });
    } catch (e) {
      if (!(e instanceof Refusal) || e.code !== 'held-twice' || wish.address || attempt >= 50) throw e;
    }
  }
}

function named(prefix: string, address: string, count: number): string[] {
  const a = parseIp(address);
  const range = prefixRange(parsePrefix(prefix));
  if (!holds(range, a) || !holds(range, { v: a.v, n: a.n + BigInt(count - 1) }))
    throw new Refusal('invalid', `${count === 1 ? address : `${count} addresses from ${address}`} do not lie in ${prefix}.`, {
      places: [{ path: 'address', message: `outside ${prefix}` }],
    });
  return consecutive(a, count);
}

function nextFree(network: Parameters<typeof spaceOf>[0] & { name: string }, taken: string[], count: number): string[] {
  const start = spaceOf(network, taken).freeBlock(count);
  if (!start)
    throw new Refusal(
      'not-now',
      `${network.name} has no ${count === 1 ? 'free address' : `${count} free addresses in a row`} outside its DHCP scopes and pools.`,
      { remedy: 'Shrink a scope, or use another network.' },
    );
  return count === 1 ? [formatIp(start)] : consecutive(start, count);
}

export async function keyOfZone(ctx: Context, m: EntityManager, name: string): Promise<TsigKey> {
  const c = await credential(ctx.config, m, name);
  return { name: c.user, secret: Buffer.from(c.secret, 'base64') };
}

/** Reads a zone from its primary by signed transfer and keeps what it serves. */
export async function readZone(ctx: Context, name: string): Promise<ServedZone> {
  const { doc: zone } = await needDoc(ctx.db.manager, 'Zone', name);
  let seen: ServedZone;
  try {
    const key = await keyOfZone(ctx, ctx.db.manager, zone.key);
    seen = {
      at: new Date().toISOString(),
      ...(await transfer({ address: zone.primary, detours: ctx.config.detours }, name, key, Math.floor(Date.now() / 1000))),
    };
  } catch (e) {
    if (!(e instanceof ProtocolError || e instanceof Refusal)) throw e;
    seen = { at: new Date().toISOString(), serial: 0, records: [], error: e.message };
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

/** Sends the smallest signed update that takes the zone to the plan, reads it back, and says what still differs. */
export async function sendZone(ctx: Context, name: string, who: string): Promise<Sent> {
  const before = await readZone(ctx, name);
  if (before.error)
    throw new Refusal('unreachable', `${name} could not be read: ${before.error}.`, {
      remedy: 'Mend that first: without knowing what is served, nothing is changed.',
    });
  const { estate } = await loadEstate(ctx.db);
  const zone = needIn(estate, 'Zone', name);
  const d = await driftOf(ctx, estate, name, before);
  const steps = updateFor(d);
  if (steps.length) {
    try {
      await update(
        { address: zone.primary, detours: ctx.config.detours },
        name,
        steps,
        await keyOfZone(ctx, ctx.db.manager, zone.key),
        Math.floor(Date.now() / 1000),
      );
    } catch (e) {
      throw e instanceof ProtocolError
        ? new Refusal('unreachable', `The update of ${name} was not taken. ${e.message}.`, {
            remedy: 'Nothing was changed. Mend it at the server and send again.',
          })
        : e;
    }
  }
  const planned = recordsOfZone(plannedRecords(estate), name);
  await ctx.db.transaction(async (m) => {
    await m.query('delete from served_by_us where zone = $1', [name]);
    if (planned.length)
      await m.query('insert into served_by_us select $1, unnest($2::text[]) on conflict do nothing', [
        name,
        planned.map(recordKey),
      ]);
    await m.query('insert into audit (who, act, subject, detail) values ($1, $2, $3, $4)', [
      who,
      'sent a DNS update',
      name,
      JSON.stringify({ steps: steps.length }),
    ]);
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

export const reservationKeys = (list: readonly Reservation[]) => list.map(keyOf);
