import { counted } from '@praesidor/core/words';
import type { EntityManager } from 'typeorm';
import { ProtocolError } from '@praesidor/protocols/dial';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { whyNot } from '../../access/permit.ts';
import { isAway } from '../../db/errors.ts';
import { type WorkItem, type WorkRow, Works } from '../../db/tables.ts';
import { publishTransient } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { workKinds } from './work/index.ts';
import { WorkFailure, type WorkKind } from './work/kind.ts';

class Stopped extends Error {}

export interface Begun {
  work: WorkRow | undefined;
  refused: { host: string; why: string }[];
}

/** Begins work on the hosts that can have it; each that cannot is told why, and keeps nobody from the others. */
export async function beginWork(
  ctx: Context,
  kind: WorkKind,
  hosts: readonly string[],
  asked: Record<string, unknown>,
  who: string,
): Promise<Begun> {
  const refused: Begun['refused'] = [];
  const taken: string[] = [];
  for (const host of new Set(hosts)) {
    const why = await kind.refuse(ctx, host, asked).catch((e: Error) => {
      if (e instanceof Refusal) return e.message;
      throw e;
    });
    if (why) refused.push({ host, why });
    else taken.push(host);
  }
  if (!taken.length) return { work: undefined, refused };
  const work = await ctx.db.transaction(async (m) => {
    const busy = await busyHosts(m);
    const both = taken.find((h) => busy.has(h));
    if (both)
      throw new Refusal('conflict', `${both} is being worked on: ${busy.get(both)}.`, { remedy: 'Let that end, or stop it.' });
    const [site] = (await m.query('select site from host where key = $1', [taken[0]])) as { site: string }[];
    const title = `${kind.title} ${taken.length === 1 ? taken[0] : counted(taken.length, 'host')}`;
    const items = taken.map((host): WorkItem => ({ host, state: 'waiting', percent: 0, text: '' }));
    const made = await m.insert(Works, {
      kind: kind.kind,
      site: site?.site ?? '',
      title,
      items: items as never,
      asked: asked as never,
      state: 'running',
      createdAt: new Date(),
      createdBy: who,
    });
    const id = (made.identifiers[0] as { id: number }).id;
    await ctx.queue.send(m, 'work', String(id));
    await record(m, who, title.toLowerCase(), taken.join(' ').slice(0, 300), { ...asked, hosts: taken });
    return m.findOneByOrFail(Works, { id });
  });
  await publishTransient(ctx.db.manager, 'Work', String(work.id));
  return { work, refused };
}

/** Hosts on which work is running, each with what it is. Asked under a lock, so that two cannot begin at once. */
async function busyHosts(m: EntityManager): Promise<Map<string, string>> {
  await m.query('select pg_advisory_xact_lock(727005)');
  const rows = (await m.query(
    "select i->>'host' as host, title from host_work, jsonb_array_elements(items) i where state in ('running', 'stopping') and i->>'state' in ('waiting', 'running')",
  )) as { host: string; title: string }[];
  return new Map(rows.map((r) => [r.host, r.title]));
}

export async function stopWork(ctx: Context, id: number, who: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const rows = (await m.query(
      "with u as (update host_work set state = 'stopping' where id = $1 and state = 'running' returning title) select title from u",
      [id],
    )) as { title: string }[];
    if (!rows[0]) throw new Refusal('not-now', 'That work is not running (any more).');
    await record(m, who, 'stopped work', rows[0].title);
  });
}

/** Carries out work; after a kill it goes on with the hosts that were not done. */
export async function runWork(ctx: Context, id: number, signal: AbortSignal): Promise<void> {
  const row = await ctx.db.manager.findOneBy(Works, { id });
  const kind = row && workKinds.get(row.kind);
  if (!row || !kind || !['running', 'stopping'].includes(row.state)) return;
  const items = row.items.map((i) => ({ ...i }));
  const why = await whyNot(ctx.db.manager, row.createdBy, 'hosts.work');
  if (why) {
    for (const i of items) if (['waiting', 'running'].includes(i.state)) Object.assign(i, { state: 'stopped', text: why });
    await ctx.db.manager.query("update host_work set items = $2, state = 'stopped', ended_at = now() where id = $1", [
      id,
      JSON.stringify(items),
    ]);
    await publishTransient(ctx.db.manager, 'Work', String(id));
    return;
  }
  let at = 0;
  const save = async (i: number) => {
    await ctx.db.manager.query('update host_work set items = jsonb_set(items, array[$2::text], $3) where id = $1', [
      id,
      String(i),
      JSON.stringify(items[i]),
    ]);
    await publishTransient(ctx.db.manager, 'Work', String(id));
  };
  const stopping = async () =>
    ((await ctx.db.manager.query('select state from host_work where id = $1', [id])) as { state: string }[])[0]?.state !==
    'running';
  const one = async (i: number) => {
    const item = items[i] as WorkItem;
    if (item.state === 'done' || item.state === 'failed') return;
    if (await stopping()) {
      Object.assign(item, { state: 'stopped', text: 'not begun' });
      return save(i);
    }
    Object.assign(item, { state: 'running' });
    await save(i);
    try {
      const text = await kind.run({
        ctx,
        host: item.host,
        who: row.createdBy,
        signal,
        asked: row.asked,
        knows: item.knows ?? {},
        remember: async (key, value) => {
          item.knows = { ...item.knows, ...(value === undefined ? {} : { [key]: value }) };
          if (value === undefined) delete item.knows[key];
          await save(i);
        },
        progress: async (percent, said) => {
          if (signal.aborted) throw new Stopped('the server is stopping');
          if (await stopping()) throw new Stopped('stopped');
          if (item.percent === percent && item.text === said) return;
          Object.assign(item, { percent, text: said });
          await save(i);
        },
      });
      Object.assign(item, { state: 'done', percent: 100, text, remedy: undefined });
    } catch (e) {
      // Cut short by our own end: it stays running, and whoever takes it over goes on.
      if (signal.aborted) return;
      if (isAway(e)) throw e;
      const remedy = e instanceof WorkFailure ? e.remedy : e instanceof Refusal ? e.more.remedy : undefined;
      Object.assign(item, e instanceof Stopped ? { state: 'stopped' } : { state: 'failed', text: (e as Error).message, remedy });
      if (!(e instanceof WorkFailure || e instanceof Refusal || e instanceof ProtocolError || e instanceof Stopped))
        ctx.log('work', { id, host: item.host, error: (e as Error).message });
    }
    await save(i);
  };
  const lane = async () => {
    for (let i = at++; i < items.length && !signal.aborted; i = at++) await one(i);
  };
  await Promise.all(Array.from({ length: Math.min(kind.atOnce, items.length) }, lane));
  if (signal.aborted) return;
  const state = items.some((i) => i.state === 'failed')
    ? 'failed'
    : items.some((i) => i.state === 'stopped')
      ? 'stopped'
      : 'done';
  await ctx.db.manager.query('update host_work set state = $2, ended_at = now() where id = $1', [id, state]);
  await publishTransient(ctx.db.manager, 'Work', String(id));
}
