import type { EntityManager } from 'typeorm';
import { formatIp, parsePrefix, parseRange, prefixRange, size } from '@praesidor/core/address';
import type { Context } from '../../context.ts';
import { Sightings } from '../../db/tables.ts';
import { whyNot } from '../../access/permit.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';

const most = 4096;
/** Addresses looked at side by side, and a second at most: switches and controllers are not to notice. */
const atOnce = 32;
const aSecond = 64;

/** Checks a sweep before it is queued. @throws Refusal */
export function sweepRange(text: string) {
  let range: ReturnType<typeof parseRange>;
  try {
    range = parseRange(text);
  } catch (e) {
    throw new Refusal('invalid', `The range to sweep cannot be read: ${(e as Error).message}.`, {
      places: [{ path: 'range', message: (e as Error).message }],
    });
  }
  if (size(range) > BigInt(most))
    throw new Refusal('too-large', `${size(range)} addresses are too many for one sweep; at most ${most} are taken.`, {
      remedy: 'Sweep the management network, or a part of it.',
    });
  return range;
}

/** A sweep opens a connection to every address of its range: only management networks of the site are swept. @throws Refusal */
export async function refuseUndeclared(m: EntityManager, site: string, text: string): Promise<void> {
  const range = sweepRange(text);
  const networks = (await m.query(
    "select key, prefix::text as prefix from network where site = $1 and doc->>'purpose' = 'management'",
    [site],
  )) as {
    key: string;
    prefix: string;
  }[];
  const inside = networks.some((n) => {
    const p = prefixRange(parsePrefix(n.prefix));
    return p.v === range.v && p.first <= range.first && range.last <= p.last;
  });
  if (!inside)
    throw new Refusal('invalid', `${text} does not lie in a management network of ${site}.`, {
      places: [
        {
          path: 'range',
          message: networks.length
            ? `management networks are ${networks.map((n) => `${n.key} (${n.prefix})`).join(', ')}`
            : 'no management network is declared',
        },
      ],
      remedy: networks.length
        ? `Sweep ${networks.map((n) => n.prefix).join(' or ')}, or a part of it.`
        : 'Declare the management network first.',
    });
}

export async function beginSweep(ctx: Context, m: EntityManager, site: string, range: string, who: string): Promise<number> {
  const r = sweepRange(range);
  const [row] = (await m.query('insert into sweep (site, range, total, created_by) values ($1, $2, $3, $4) returning id', [
    site,
    range,
    Number(size(r)),
    who,
  ])) as { id: number }[];
  await ctx.queue.send(m, 'sweep', String(row?.id));
  return Number(size(r));
}

interface SweepRow {
  id: number;
  site: string;
  range: string;
  next: number;
  total: number;
  found: number;
  state: string;
  created_by: string;
}

/**
 * Looks at every address of a range for a management controller. What answers is kept as sighted with the fingerprint it
 * shows; credentials are sent to nothing whose fingerprint has not been accepted. A sweep that was cut short goes on
 * behind the last address before which all have been looked at.
 */
export async function sweep(ctx: Context, id: number, signal: AbortSignal): Promise<void> {
  const [row] = (await ctx.db.manager.query('select * from sweep where id = $1', [id])) as SweepRow[];
  if (row?.state !== 'running') return;
  if (await whyNot(ctx.db.manager, row.created_by, 'hosts.sweep', { sites: [row.site], teams: [] })) {
    await ctx.db.manager.query("update sweep set state = 'stopped' where id = $1", [id]);
    return;
  }
  const range = sweepRange(row.range);
  const done = new Set<number>();
  let { next: low, found } = row;
  let at = low;
  let stopped = false;
  const began = Date.now();
  const save = async () => {
    const [now] = (await ctx.db.manager.query(
      'with u as (update sweep set next = $2, found = $3 where id = $1 returning state) select state from u',
      [id, low, found],
    )) as { state: string }[];
    stopped ||= now?.state !== 'running';
    await progress(ctx.db.manager, row.site, { done: low, of: row.total, found, ms: Date.now() - began });
  };
  let saved = low;
  const worker = async () => {
    for (let i = at++; i < row.total && !signal.aborted && !stopped; i = at++) {
      const due = began + ((i - row.next) / aSecond) * 1000;
      if (due > Date.now()) await new Promise((go) => setTimeout(go, due - Date.now()));
      if (await look(ctx, row.site, formatIp({ v: range.v, n: range.first + BigInt(i) }))) found++;
      done.add(i);
      while (done.delete(low)) low++;
      if (low - saved >= 16) {
        saved = low;
        await save();
      }
    }
  };
  await Promise.all(Array.from({ length: atOnce }, worker));
  await save();
  if (!signal.aborted && !stopped) await ctx.db.manager.query("update sweep set state = 'done' where id = $1", [id]);
}

/** Ends the sweeps of a site that are running; what they found stays. */
export const stopSweeps = (m: EntityManager, site: string) =>
  m.query("update sweep set state = 'stopped' where site = $1 and state = 'running'", [site]);

const progress = (m: EntityManager, site: string, p: object) =>
  m.query(
    "select pg_notify('praesidor', json_build_object('id', 0, 'kind', 'Sweep', 'subject', $1::text, 'data', $2::jsonb)::text)",
    [site, JSON.stringify(p)],
  );

async function look(ctx: Context, site: string, address: string): Promise<boolean> {
  const seen = await ctx.dialer.certificate({ purpose: 'controller', host: address, port: 443 }, 1500).catch(() => undefined);
  if (!seen) return false;
  await ctx.db.transaction(async (m) => {
    const host = ((await m.query('select key from host where bmc_address = $1', [address])) as { key: string }[])[0];
    const before = await m.findOneBy(Sightings, { address });
    await m.query(
      `insert into sighting (address, site, at, fingerprint, accepted) values ($1, $2, now(), $3, $4)
      on conflict (address) do update set at = now(), site = excluded.site, accepted = sighting.accepted and sighting.fingerprint = excluded.fingerprint, fingerprint = excluded.fingerprint`,
      [address, site, seen.fingerprint, false],
    );
    if (!before || before.fingerprint !== seen.fingerprint || host) await tell(m, 'Sighting', address);
  });
  return true;
}
