import type * as answers from '@praesidor/contract';
import { type Plan, resolve } from '@praesidor/core/charter';
import { endingKinds, type Requested } from '@praesidor/core/changes';
import type { Estate } from '@praesidor/core/model';
import { type Compared, comparedServices } from '@praesidor/core/reach';
import { ProtocolError } from '@praesidor/protocols/dial';
import { kube as askKube, publishedServices, requestedRoom } from '@praesidor/protocols/kube';
import { inParallel } from '@praesidor/shipping';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { estateNow } from '../../estate/now.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { kubeOf } from './kube-of.ts';
import { kitOf } from './kit-of-build.ts';
import { line, type Measure, measures, measuresOf, type Proof, type Proving } from './measures.ts';
import { buildsWhere } from './rows.ts';

const placeOf = new Map(measures.map((m, n) => [m.name, n]));
/** Kept under its own name: without the API nothing else can be asked. */
const answersLine = 'API answers';

/**
 * Keeps what a measure found of a cluster: each line with since when it stands so. What became otherwise is put down and told; lines that a measure draws no
 * more go.
 */
export async function keepLines(m: EntityManager, charter: string, measure: string, lines: readonly Proof[]): Promise<void> {
  await m.query(
    'insert into proof_measured values ($1, $2, now()) on conflict (charter, measure) do update set at = excluded.at',
    [charter, measure],
  );
  const was = new Map(
    (
      (await m.query('select what, good, found, planned from proof_line where charter = $1 and measure = $2', [
        charter,
        measure,
      ])) as { what: string; good: boolean; found: string; planned: string }[]
    ).map((l) => [l.what, l]),
  );
  let told = false;
  for (const l of lines) {
    const before = was.get(l.what);
    was.delete(l.what);
    const same = before?.good === l.good && before.found === l.found && before.planned === l.planned;
    await m.query(
      `insert into proof_line (charter, measure, what, planned, found, good, evidence, at, since, place) values ($1, $2, $3, $4, $5, $6, $7, $8, $8, $9)
       on conflict (charter, what) do update set measure = excluded.measure, planned = excluded.planned, found = excluded.found, good = excluded.good,
         evidence = excluded.evidence, at = excluded.at, since = case when proof_line.good = excluded.good then proof_line.since else excluded.since end, place = excluded.place`,
      [charter, measure, l.what, l.planned, l.found, l.good, JSON.stringify(l.evidence), l.at, placeOf.get(measure) ?? -1],
    );
    if (same) continue;
    told = true;
    // That it is measured for the first time, and holds, is no change.
    if (!before && l.good) continue;
    // Told once, when it stops to hold; and not of a cluster that is just being proved.
    if (before?.good && !l.good) {
      const [at] = (await m.query("select doc->>'site' as site from charter where key = $1", [charter])) as { site: string }[];
      const seen = { what: l.what, planned: l.planned, found: l.found };
      await record(m, 'Praesidor', 'is not as it was proved', charter, seen, undefined, undefined, {
        about: 'drift',
        ...(at ? { site: at.site } : {}),
      });
    }
    await m.query('insert into proof_change (charter, what, at, good, planned, found) values ($1, $2, $3, $4, $5, $6)', [
      charter,
      l.what,
      l.at,
      l.good,
      l.planned,
      l.found,
    ]);
  }
  for (const what of was.keys()) {
    told = true;
    await m.query('delete from proof_line where charter = $1 and what = $2', [charter, what]);
  }
  if (told) await tell(m, 'Proof', charter);
}

/** What was measured of a cluster that is gone is of no cluster any more; what became of it stays. */
export async function forgetLines(m: EntityManager, charter: string): Promise<void> {
  await m.query('delete from proof_line where charter = $1', [charter]);
  await m.query('delete from proof_measured where charter = $1', [charter]);
}

/** Clusters that stand and are not being changed, with the change that brought each to where it is. */
export async function standing(ctx: Context, estate: Estate, charter?: string): Promise<BuildRow[]> {
  const serving = new Set(
    estate.hosts.filter((h) => h.state === 'serving' && !estate.observed.heard[h.site]).map((h) => h.held?.charter ?? ''),
  );
  const names = charter === undefined ? [...serving] : serving.has(charter) ? [charter] : [];
  return buildsWhere(
    ctx.db.manager,
    `b.id in (select max(x.id) from build x join run y on y.id = x.id where x.charter = any($1) and y.state = 'done' group by x.charter)
      and b.kind <> all($2) and not exists (select 1 from build x join run y on y.id = x.id where x.charter = b.charter and y.state in ('queued', 'running', 'paused'))`,
    [names, endingKinds],
  );
}

/** Measures again what is due of all clusters that stand; each measure says how often. */
export async function proveClusters(ctx: Context, signal: AbortSignal): Promise<void> {
  const estate = await estateNow(ctx.db);
  const rows = (await ctx.db.manager.query('select charter, measure, at from proof_measured')) as {
    charter: string;
    measure: string;
    at: Date;
  }[];
  const last = new Map(rows.map((r) => [`${r.charter} ${r.measure}`, r.at.getTime()]));
  const due = (b: BuildRow, m: Measure) =>
    m.every !== undefined && Date.now() - (last.get(`${b.charter} ${m.name}`) ?? 0) >= m.every * 60_000;
  const all = await standing(ctx, estate);
  await inParallel(all, 4, signal, async (b) => {
    const list = (await measuresOf(ctx.db.manager, b)).filter((m) => due(b, m));
    if (list.length)
      await prove(ctx, b, estate, list, signal).catch((e: Error) => ctx.log('proof', { charter: b.charter, error: e.message }));
  });
}

/** Measures everything of one cluster that is measured again, now. @throws Refusal where none stands, or it is being changed */
export async function proveNow(ctx: Context, charter: string, signal: AbortSignal): Promise<void> {
  const estate = await estateNow(ctx.db);
  const [b] = await standing(ctx, estate, charter);
  if (!b)
    throw new Refusal('not-now', `${charter} does not stand, or is being changed.`, {
      remedy: 'It is measured at the end of each change, and then again and again.',
    });
  await prove(
    ctx,
    b,
    estate,
    (await measuresOf(ctx.db.manager, b)).filter((m) => m.every !== undefined),
    signal,
  );
}

async function prove(ctx: Context, b: BuildRow, estate: Estate, list: readonly Measure[], signal: AbortSignal): Promise<void> {
  const m = ctx.db.manager;
  const plan = b.plan as Plan;
  const kit = await kitOf(ctx, b, estate);
  const proving: Proving = { ctx, build: b, plan, estate, kit, kube: () => kubeOf(ctx, plan, kit) };
  const api = await reaches(proving);
  await keepLines(m, b.charter, answersLine, [api]);
  if (!api.good) return;
  for (const { name, measure } of list) {
    if (signal.aborted) return;
    const lines = await measure(proving).catch((e: Error) => [line(name, 'measured', e.message, [])]);
    await keepLines(m, b.charter, name, lines);
  }
}

/** What runs on a cluster and asks for room; undefined: its API does not say, or not within three seconds. */
export async function requestedOf(ctx: Context, charter: string, estate: Estate): Promise<Requested | undefined> {
  const asked = async () => {
    const [b] = await standing(ctx, estate, charter);
    return b && requestedRoom(kubeOf(ctx, b.plan as Plan, await kitOf(ctx, b, estate)));
  };
  const late = new Promise<undefined>((go) => setTimeout(() => go(undefined), 3000).unref());
  // What cannot be asked is not said: what is due does not depend on it.
  return Promise.race([asked().catch(() => undefined), late]);
}

/** What a cluster that stands publishes now, beside its plan. @throws Refusal where none stands, or its API does not answer */
export async function publishedNow(ctx: Context, charter: string): Promise<Compared[]> {
  const estate = await estateNow(ctx.db);
  const [b] = await standing(ctx, estate, charter);
  if (!b)
    throw new Refusal('not-now', `${charter} does not stand, or is being changed.`, {
      remedy: 'A cluster is asked for its services when it stands.',
    });
  const plan = resolve(needIn(estate, 'Charter', charter), estate);
  try {
    const seen = await publishedServices(kubeOf(ctx, b.plan as Plan, await kitOf(ctx, b, estate)));
    return comparedServices(plan, seen);
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    throw new Refusal('not-now', `${charter} does not say what it publishes: ${e.message}`, {
      remedy: 'Look at its proof: whether its API answers is measured there.',
    });
  }
}

async function reaches({ plan, kube }: Proving): Promise<Proof> {
  const found = await askKube<{ gitVersion: string }>(kube(), '/version').then(
    () => 'answers',
    (e: Error) => e.message,
  );
  return line(answersLine, 'answers', found, [`https://${plan.api.name}:${plan.api.port}/version`]);
}

/** What is known of a cluster that stands: its lines, what became otherwise and when, the newest first. */
export async function proofOf(m: EntityManager, charter: string): Promise<z.input<typeof answers.StandingProof>> {
  const lines = (await m.query(
    'select measure, what, planned, found, good, evidence, at, since from proof_line where charter = $1 order by good, place, what',
    [charter],
  )) as (Omit<Proof, 'at'> & { measure: string; since: Date; at: Date })[];
  const changes = (await m.query(
    'select what, at, good, planned, found from proof_change where charter = $1 order by id desc limit 100',
    [charter],
  )) as { what: string; at: Date; good: boolean; planned: string; found: string }[];
  return {
    lines: lines.map(({ measure, ...l }) => {
      const own = measures.find((x) => x.name === measure);
      return {
        ...l,
        at: l.at.toISOString(),
        ...(own?.every === undefined ? {} : { every: own.every }),
        mend: own?.mend(charter) ?? { label: `Open ${charter}`, go: `/clusters/${charter}` },
      };
    }),
    changes,
  };
}

/** Clusters of which something does not hold, with what it is; and of each how much was measured, and when. */
export async function drifts(m: EntityManager): Promise<z.input<typeof answers.Drifts>> {
  const rows = (await m.query(
    'select charter, what, planned, found, since from proof_line where not good order by charter, place, what',
  )) as { charter: string; what: string; planned: string; found: string; since: Date }[];
  const proved = (await m.query(
    'select charter, max(at) as at, count(*) filter (where good)::int as holds, count(*)::int as of from proof_line group by charter order by charter',
  )) as { charter: string; at: Date; holds: number; of: number }[];
  return { drifts: rows, proved };
}
