import { hostsByAddress } from '@praesidor/core/ledger';
import type { Host, Registry } from '@praesidor/core/model';
import { seenAs } from '@praesidor/protocols/dial';
import { pullLog, tellsNoMore } from '@praesidor/protocols/oci';
import type { Context } from '../../context.ts';
import { loadEstate } from '../../estate/load.ts';
import { publishTransient } from '../../events/bus.ts';
import { openRegistry } from './registries.ts';

/** Days that single pulls are kept. */
const keptDays = 90;

/** Reads on in a registry's pull log from where it was read to, and keeps it with the host that each line is of. */
export async function readPulls(ctx: Context, registry: Registry): Promise<number> {
  const [{ last } = { last: null }] = (await ctx.db.manager.query('select max(at) as last from pull where registry = $1', [
    registry.name,
  ])) as {
    last: Date | null;
  }[];
  const lines = await pullLog(await openRegistry(ctx, registry), last?.toISOString() ?? '').catch((e: unknown) => {
    // It keeps no log that it would show.
    if (tellsNoMore(e)) return [];
    throw e;
  });
  if (!lines.length) return 0;
  const { estate } = await loadEstate(ctx.db);
  const names = new Set(estate.hosts.map((h) => h.name));
  const byAddress = hostsByAddress(estate.reservations);
  const hostOf = (l: (typeof lines)[number]) => {
    const said = /^node\/([a-z0-9.-]+)/.exec(l.agent)?.[1];
    return byAddress.get(seenAs(ctx.config.addressMap, l.client)) ?? (said && names.has(said) ? said : null);
  };
  let added = 0;
  for (let n = 0; n < lines.length; n += 5000) {
    const some = lines.slice(n, n + 5000).map((l) => ({ ...l, host: hostOf(l) }));
    const rows = (await ctx.db.manager.query(
      `with i as (insert into pull (registry, at, client, user_name, agent, host, kind, repository, reference, digest, status)
       select $1, (l->>'at')::timestamptz, l->>'client', l->>'user', l->>'agent', l->>'host', l->>'kind', l->>'repository', l->>'reference', l->>'digest', (l->>'status')::int
       from jsonb_array_elements($2::jsonb) l on conflict do nothing returning 1) select count(*)::int as n from i`,
      [registry.name, JSON.stringify(some)],
    )) as { n: number }[];
    added += rows[0]?.n ?? 0;
  }
  if (added) {
    await ctx.db.manager.query('delete from pull where at < now() - make_interval(days => $1)', [keptDays]);
    await publishTransient(ctx.db.manager, 'Pulls', registry.name);
  }
  return added;
}

export interface PullSummary {
  /** Reads of images (their manifests by name) by hosts of the estate, in slices of time. */
  over: { at: string; inside: number; outside: number }[];
  hosts: { host: string; registry: string; images: number; last: string }[];
  images: { image: string; hosts: number; last: string }[];
  /** Hosts that asked a source registry instead of their mirror. */
  outside: { host: string; registry: string; image: string; at: string }[];
  /** Asked for and not there, by hosts. */
  missed: { host: string; image: string; registry: string; at: string; times: number }[];
  total: number;
}

/** What hosts pulled since a time: per node, per image, over time, and whatever tried the outside. */
export async function pullSummary(
  ctx: Context,
  since: string,
  registries: readonly Registry[],
  slice: 'hour' | 'day',
  hosts: readonly Host[],
): Promise<PullSummary> {
  const inside = registries.filter((r) => r.role !== 'source').map((r) => r.name);
  const sources = registries.filter((r) => r.role === 'source').map((r) => r.name);
  const all = [since, inside, sources, hosts.map((h) => h.name)];
  const q = <T>(sql: string, args: unknown[] = all) => ctx.db.manager.query(sql, args) as Promise<T[]>;
  const mine = "at >= $1 and host = any($4) and kind = 'manifest' and reference not like 'sha256:%'";
  const iso = (d: Date) => new Date(d).toISOString();
  const over = await q<{ at: Date; inside: number; outside: number }>(
    `select date_trunc('${slice}', at) as at, count(*) filter (where registry = any($2))::int as inside, count(*) filter (where registry = any($3))::int as outside from pull where ${mine} and (registry = any($2) or registry = any($3)) group by 1 order by 1`,
  );
  const byHost = await q<{ host: string; registry: string; images: number; last: Date }>(
    `select host, registry, count(distinct repository || ':' || reference)::int as images, max(at) as last from pull where ${mine} and registry = any($2) and status < 300 and $3::text[] is not null group by 1, 2 order by last desc, host limit 500`,
  );
  const byImage = await q<{ image: string; hosts: number; last: Date }>(
    `select repository || ':' || reference as image, count(distinct host)::int as hosts, max(at) as last from pull where ${mine} and registry = any($2) and status < 300 and $3::text[] is not null group by 1 order by hosts desc, image limit 500`,
  );
  const outside = await q<{ host: string; registry: string; image: string; at: Date }>(
    "select host, registry, repository || ':' || reference as image, max(at) as at from pull where at >= $1 and registry = any($3) and host = any($4) and $2::text[] is not null group by 1, 2, 3 order by at desc limit 100",
  );
  const missed = await q<{ host: string; image: string; registry: string; at: Date; times: number }>(
    `select host, repository || ':' || reference as image, registry, max(at) as at, count(*)::int as times from pull where ${mine} and registry = any($2) and status = 404 and $3::text[] is not null group by 1, 2, 3 order by at desc limit 100`,
  );
  return {
    over: over.map((o) => ({ ...o, at: iso(o.at) })),
    hosts: byHost.map((h) => ({ ...h, last: iso(h.last) })),
    images: byImage.map((i) => ({ ...i, last: iso(i.last) })),
    outside: outside.map((o) => ({ ...o, at: iso(o.at) })),
    missed: missed.map((o) => ({ ...o, at: iso(o.at) })),
    total: over.reduce((n, o) => n + o.inside, 0),
  };
}

export interface StillReading {
  /** When the last cluster was switched away from it; null: none ever was. */
  since: string | null;
  /** Reads of blobs and manifests since then, our own left out. */
  pulls: number;
  hosts: { host: string; pulls: number; last: string }[];
}

/**
 * Who still reads from a registry after the last charter was switched to another one (by its kept revisions): hosts of the
 * estate by name, everybody else by address, since what nobody knows of is what would break.
 */
export async function stillReading(ctx: Context, registry: string): Promise<StillReading> {
  const [{ since } = { since: null }] = (await ctx.db.manager.query(
    `select max(at) as since from (select at, doc->>'mirror' as now, lag(doc->>'mirror') over (partition by charter order by revision) as before from charter_revision) r
     where before = $1 and now <> $1`,
    [registry],
  )) as { since: Date | null }[];
  const rows = (await ctx.db.manager.query(
    "select coalesce(host, client) as host, count(*)::int as pulls, max(at) as last from pull where registry = $1 and agent not like 'praesidor%' and status < 300 and at > coalesce($2::timestamptz, '-infinity') group by 1 order by last desc",
    [registry, since],
  )) as { host: string; pulls: number; last: Date }[];
  return {
    since: since?.toISOString() ?? null,
    pulls: rows.reduce((n, r) => n + r.pulls, 0),
    hosts: rows.map((r) => ({ ...r, last: r.last.toISOString() })),
  };
}
