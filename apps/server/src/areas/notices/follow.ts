import { type Act, type Notice, type NoticeAbout, wants } from '@praesidor/core/notices';
import { ProtocolError } from '@praesidor/protocols/dial';
import type { Context } from '../../context.ts';
import { publishTransient } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { send } from './ways.ts';

/** Number of the lock under which one process at a time tells others. */
const exclusive = 4;
/** Acts that are told at once; and how long one is worth telling, in hours. */
const atOnce = 100;
const worthHours = 24;
/** How long it is waited between tries: twice as long each time, at most this, in seconds. */
const longestWait = 300;
/** How often it is looked when nobody rings, in milliseconds. */
const looks = 5000;

interface Row {
  id: string;
  at: Date;
  who: string;
  act: string;
  subject: string;
  detail: Record<string, unknown>;
  about: NoticeAbout | null;
  site: string | null;
}
interface Following {
  name: string;
  doc: Notice;
  position: string;
  tries: number;
}

/**
 * Acts behind a position, in their order, as far as none before them can come any more: numbers are drawn before a transaction ends, so a gap is one that
 * is still under way, or one that came to nothing. It is passed when whoever may have drawn it is gone.
 */
async function behind(ctx: Context, position: string): Promise<Row[]> {
  const rows = (await ctx.db.manager.query(
    'select id, at, who, act, subject, detail, about, site from audit where id > $1 order by id limit $2',
    [position, atOnce],
  )) as Row[];
  const [{ since } = { since: null }] = (await ctx.db.manager.query(
    'select min(xact_start) as since from pg_stat_activity where datname = current_database() and backend_xid is not null and pid <> pg_backend_pid()',
  )) as { since: Date | null }[];
  let last = Number(position);
  const out: Row[] = [];
  for (const r of rows) {
    const gap = Number(r.id) !== last + 1;
    if (gap && since && since.getTime() <= r.at.getTime() && Date.now() - r.at.getTime() < 60_000) break;
    last = Number(r.id);
    out.push(r);
  }
  return out;
}

const actOf = (r: Row): Act => ({
  ...r,
  id: Number(r.id),
  at: r.at.toISOString(),
  about: r.about ?? undefined,
  site: r.site ?? undefined,
});

/** Tells one of what there is to tell. @returns whether there may be more */
async function tellOne(ctx: Context, f: Following): Promise<boolean> {
  const m = ctx.db.manager;
  const rows = await behind(ctx, f.position);
  const [last] = rows.slice(-1);
  if (!last) return false;
  const wanted = rows.map(actOf).filter((a) => wants(f.doc, a));
  const fresh = wanted.filter((a) => Date.now() - Date.parse(a.at) < worthHours * 3_600_000);
  try {
    if (fresh.length) await send(ctx, f.doc, fresh);
    await m.query(
      `update notice set position = $2, tries = 0, failing = null, since = null, next_at = null, skipped = skipped + $3,
         told_at = case when $4 then now() else told_at end where name = $1 and position = $5`,
      [f.name, last.id, wanted.length - fresh.length, fresh.length > 0, f.position],
    );
    if (f.tries) await publishTransient(m, 'Notice', f.name);
    return rows.length === atOnce;
  } catch (e) {
    if (!(e instanceof ProtocolError || e instanceof Refusal)) ctx.log('notice', { name: f.name, error: (e as Error).stack });
    await m.query(
      `update notice set tries = tries + 1, failing = $2, since = coalesce(since, now()), next_at = now() + make_interval(secs => $3) where name = $1`,
      [f.name, (e as Error).message.slice(0, 500), Math.min(longestWait, 2 ** Math.min(f.tries + 1, 10))],
    );
    if (!f.tries) await publishTransient(m, 'Notice', f.name);
    return false;
  }
}

/** Tells whoever is to be told of what was put on record, for as long as the process lives; one process at a time. @returns what ends that */
export function tellOthers(ctx: Context): () => void {
  const ending = new AbortController();
  const { signal } = ending;
  const round = async () => {
    const due = (await ctx.db.manager.query(
      'select name, doc, position, tries from notice where next_at is null or next_at <= now() order by name',
    )) as Following[];
    // Side by side: one that is silent keeps nobody from the others.
    const more = await Promise.all(due.map((f) => tellOne(ctx, f)));
    return more.some(Boolean);
  };
  const go = async () => {
    while (!signal.aborted) {
      let more = false;
      try {
        await ctx.queue.runExclusive(exclusive, async () => {
          more = await round();
        });
      } catch (e) {
        if (!signal.aborted) ctx.log('notices', { error: (e as Error).message });
      }
      if (!more) await ctx.bus.next((e) => e.kind === 'Act' || e.kind === 'Notice', looks, signal).catch(() => undefined);
    }
  };
  void go();
  return () => ending.abort();
}
