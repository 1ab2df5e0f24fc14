import { firstEnd, renewFrom } from '@praesidor/core/changes';
import { whyNot } from '../../access/permit.ts';
import { whereOfRun } from '../../access/where.ts';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { Runs } from '../../db/tables.ts';
import { logLine } from '../../engine/state.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { beginChange, dueChange } from './service.ts';

/**
 * Begins to renew the certificates of clusters whose charters say that they are renewed by themselves, when it is time. What hinders it (a change that
 * is under way, a finding that stops) is tried again at the next round, and its end is told as that of every change.
 */
export async function renewClusters(ctx: Context): Promise<void> {
  const estate = await estateNow(ctx.db);
  for (const c of estate.charters) {
    if (!c.certificates?.byItself) continue;
    const end = firstEnd(
      estate.hosts.flatMap((h) => (h.held?.charter === c.name && h.held.certificates ? [h.held.certificates] : [])),
    );
    if (end === undefined || Date.parse(estate.now) < renewFrom(end, c.certificates.days ?? 365)) continue;
    try {
      // One that lies in the middle of a change of its authorities is renewed by the authority that signs.
      if (['renew', 'authority'].includes((await dueChange(ctx, c.name))?.kind ?? ''))
        await beginChange(ctx, c.name, 'renew', 'Praesidor');
    } catch (e) {
      if (!(e instanceof Refusal)) throw e;
      ctx.log('certificates are not renewed', { charter: c.name, why: e.message });
    }
  }
}

/**
 * Begins the next upgrade on the way of a cluster, when the one before has been proved: for whoever began that. What hinders it is put down in the log of the
 * proof and in the record, and nothing is tried again: somebody looks, and begins it.
 */
export async function goOn(ctx: Context, id: number): Promise<void> {
  const m = ctx.db.manager;
  const run = await m.findOneBy(Runs, { id, kind: 'change', state: 'done' });
  if (!run) return;
  const charter = String(run.asked.charter);
  const who = run.runBy ?? run.createdBy;
  const later = (await m.query('select 1 from build where charter = $1 and id > $2 limit 1', [charter, id])) as unknown[];
  // Somebody was quicker, or this is asked again after a kill.
  if (later.length) return;
  const hindered = async (why: string) => {
    await logLine(m, run, run.steps.at(-1)?.id ?? '', 'warn', `the next release is not begun: ${why}`);
    await record(m, 'Praesidor', 'did not go on', charter, { after: run.title, why });
  };
  const not = await whyNot(m, who, 'builds.run', await whereOfRun(m, run));
  if (not) return hindered(not);
  try {
    if ((await dueChange(ctx, charter))?.kind === 'upgrade') await beginChange(ctx, charter, 'upgrade', who);
    else await hindered('an upgrade is not what is due by now');
  } catch (e) {
    if (!(e instanceof Refusal)) throw e;
    await hindered(e.message);
  }
}
