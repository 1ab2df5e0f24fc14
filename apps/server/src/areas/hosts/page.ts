import type * as answers from '@praesidor/contract';
import type { z } from 'zod';
import type { EntityManager } from 'typeorm';
import { actsOn } from '@praesidor/core/hosts';
import { type Reading, readSensors } from '@praesidor/protocols/redfish';
import type { Context } from '../../context.ts';
import { needDoc } from '../../estate/documents.ts';
import { withBmc } from './bmc.ts';
import { stateAsk } from './facts.ts';
import { worksOf } from './work.ts';

/** Everything about one host that the estate itself does not hold: what changed, who did what, what was built on it. */
export async function hostPage(ctx: Context, name: string) {
  const m = ctx.db.manager;
  const { doc, version } = await needDoc(m, 'Host', name);
  const q = <T>(sql: string, ...values: unknown[]) => m.query(sql, values) as Promise<T[]>;
  const [facts, acts, works, builds, samples] = await Promise.all([
    q<z.input<typeof answers.HostPage>['facts'][number]>(
      'select at, source, changes from host_facts where host = $1 order by id desc limit 30',
      name,
    ),
    q<z.input<typeof answers.RecordedAct>>(
      "select id::int, at, who, act, subject, changes is not null and not exists (select 1 from audit u where u.undoes = audit.id) as \"canUndo\" from audit where subject = $1 or subject = 'Host ' || $1 or subject like $1 || ' %' or subject like '% ' || $1 or subject like '% ' || $1 || ' %' order by id desc limit 50",
      name,
    ),
    worksOf(m, name),
    q<z.input<typeof answers.HostPage>['builds'][number]>(
      `select charter, number, r.state, r.created_at as at, (select n->>'role' from jsonb_array_elements(plan->'nodes') n where n->>'host' = $1 limit 1) as role
       from build b join run r on r.id = b.id where plan @> jsonb_build_object('nodes', jsonb_build_array(jsonb_build_object('host', $1::text))) order by b.id desc limit 20`,
      name,
    ),
    samplesOf(m, name),
  ]);
  return { version, acts: actsOn(doc, await stateAsk(m, doc)), facts, history: acts, works, builds, samples };
}

export interface Series {
  name: string;
  kind: string;
  unit: string;
  points: [at: string, value: number][];
}
/** The last day of readings, at most 300 a sensor. */
async function samplesOf(m: EntityManager, host: string): Promise<Series[]> {
  const rows = (await m.query(
    `select name, kind, unit, at, value from (select *, row_number() over (partition by name order by at desc) as n from sensor_sample where host = $1 and at > now() - interval '1 day') s
     where n <= 300 order by name, at`,
    [host],
  )) as { name: string; kind: string; unit: string; at: Date; value: number }[];
  const out = new Map<string, Series>();
  for (const r of rows) {
    const s = out.get(r.name) ?? { name: r.name, kind: r.kind, unit: r.unit, points: [] };
    s.points.push([r.at.toISOString(), r.value]);
    out.set(r.name, s);
  }
  return [...out.values()];
}

/** Reads the sensors now and keeps what they say; a week of it. */
export async function sample(ctx: Context, name: string): Promise<Reading[]> {
  const readings = await withBmc(ctx, name, (bmc) => readSensors(bmc));
  if (readings.length)
    await ctx.db.manager.query(
      'insert into sensor_sample (host, at, name, kind, value, unit) select $1, now(), * from unnest($2::text[], $3::text[], $4::float8[], $5::text[])',
      [name, readings.map((r) => r.name), readings.map((r) => r.kind), readings.map((r) => r.value), readings.map((r) => r.unit)],
    );
  await ctx.db.manager.query("delete from sensor_sample where host = $1 and at < now() - interval '7 days'", [name]);
  return readings;
}

/** Samples every host whose controller is pinned, a few at a time; who does not answer is left for the next round. */
export async function sampleAll(ctx: Context): Promise<void> {
  const rows = (await ctx.db.manager.query(
    "select key from whole_host where doc->'bmc'->>'fingerprint' is not null and doc->>'state' <> 'retired' and site not in (select subject from observation where kind = 'heard')",
  )) as { key: string }[];
  let at = 0;
  const lane = async () => {
    for (let i = at++; i < rows.length; i = at++) await sample(ctx, (rows[i] as { key: string }).key).catch(() => undefined);
  };
  await Promise.all(Array.from({ length: 8 }, lane));
}
