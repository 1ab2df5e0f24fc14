import type { EntityManager } from 'typeorm';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { nextPlanOf } from '../clusters/service.ts';
import { type Prerequisite, prerequisitesOf } from './prerequisites.ts';

/** What was found of a prerequisite, or who confirmed it. */
interface Row {
  id: string;
  state: 'good' | 'bad' | 'confirmed';
  said: string;
  at: Date;
  by: string;
}
/** Milliseconds after which nothing is measured any more. */
const atMostMs = 60_000;
const rowsOf = async (m: EntityManager, charter: string): Promise<Map<string, Row>> =>
  new Map(
    ((await m.query('select id, state, said, at, by from prerequisite where charter = $1', [charter])) as Row[]).map((r) => [
      r.id,
      r,
    ]),
  );

/** Everything that a charter needs before it is built, with what was last found of each. */
export async function prerequisites(ctx: Context, name: string) {
  const { plan, estate } = await nextPlanOf(ctx, name);
  const rows = await rowsOf(ctx.db.manager, name);
  return prerequisitesOf({ ctx, plan, estate, signal: AbortSignal.timeout(atMostMs) }).map(
    ({ id, what, how, measure, aside }) => {
      const r = rows.get(id);
      return {
        id,
        what,
        how,
        measured: measure !== undefined,
        /** A build does not begin without it. */
        needed: !aside,
        ...(r ? { state: r.state, said: r.said, at: r.at.toISOString(), by: r.by } : {}),
      };
    },
  );
}

/** Measures everything that can be measured, side by side; what takes long only where the rest is good. */
export async function measureAll(ctx: Context, name: string, who: string): Promise<void> {
  const { plan, estate } = await nextPlanOf(ctx, name);
  const all = prerequisitesOf({ ctx, plan, estate, signal: AbortSignal.timeout(atMostMs) });
  const found: Row[] = [];
  const measure = async (p: Prerequisite) => {
    const at = () => new Date();
    try {
      const said = (await p.measure?.()) ?? '';
      found.push({ id: p.id, state: 'good', said, at: at(), by: who });
    } catch (e) {
      found.push({ id: p.id, state: 'bad', said: (e as Error).message.slice(0, 1000), at: at(), by: who });
    }
  };
  const measured = all.filter((p) => p.measure);
  await Promise.all(measured.filter((p) => !p.last).map(measure));
  const needed = new Set(all.filter((p) => !p.aside).map((p) => p.id));
  if (!found.some((f) => f.state === 'bad' && needed.has(f.id))) for (const p of measured.filter((x) => x.last)) await measure(p);
  await ctx.db.transaction(async (m) => {
    // What was measured of something that is not asked any more, or was not looked at this time, says nothing now. What was confirmed stays.
    await m.query("delete from prerequisite where charter = $1 and state <> 'confirmed' and not id = any($2)", [
      name,
      found.map((f) => f.id),
    ]);
    for (const f of found) await keep(m, name, f);
    const bad = found.filter((f) => f.state === 'bad').length;
    await record(m, who, 'measured what a build needs', name, { good: found.length - bad, bad });
    await tell(m, 'Prerequisites', name);
  });
}

/** Somebody says that it is so: only of what nothing here measures. @throws Refusal */
export async function confirm(ctx: Context, name: string, id: string, note: string, who: string): Promise<void> {
  const { plan, estate } = await nextPlanOf(ctx, name);
  const p = prerequisitesOf({ ctx, plan, estate, signal: AbortSignal.timeout(atMostMs) }).find((x) => x.id === id);
  if (!p) throw new Refusal('not-found', `${name} has no requirement ${id}.`);
  if (p.measure) throw new Refusal('not-now', `${p.what} is measured, not confirmed.`, { remedy: 'Measure it.' });
  await ctx.db.transaction(async (m) => {
    await keep(m, name, { id, state: 'confirmed', said: note, at: new Date(), by: who });
    await record(m, who, 'confirmed what a build needs', name, { what: p.what, note });
    await tell(m, 'Prerequisites', name);
  });
}

const keep = (m: EntityManager, charter: string, r: Row) =>
  m.query(
    `insert into prerequisite (charter, id, state, said, at, by) values ($1, $2, $3, $4, $5, $6)
     on conflict (charter, id) do update set state = excluded.state, said = excluded.said, at = excluded.at, by = excluded.by`,
    [charter, r.id, r.state, r.said, r.at, r.by],
  );
