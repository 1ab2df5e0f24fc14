import { nextTime } from '@praesidor/core/backup';
import type { Context } from '../../context.ts';
import { estateNow } from '../../estate/now.ts';
import { Refusal } from '../../refusal.ts';
import { standing } from '../builds/proofs.ts';
import { beginBackup } from './service.ts';

/**
 * Begins what plans say, once for each of their times, whoever of several servers is first. A time that nobody was there for, or at which another run was under way, is made up for once,
 * and not once for each that was missed; so is one at which the cluster was being changed.
 */
export async function backupsDue(ctx: Context, now = Date.now()): Promise<void> {
  const estate = await estateNow(ctx.db);
  if (!estate.charters.some((c) => c.backups?.length)) return;
  const stands = new Set((await standing(ctx, estate)).map((b) => b.charter));
  for (const c of estate.charters) {
    if (!c.backups?.length || !stands.has(c.name)) continue;
    const zone = estate.sites.find((s) => s.name === c.site)?.timezone ?? 'UTC';
    for (const plan of c.backups)
      for (const what of ['copy', 'trial'] as const) {
        const text = what === 'copy' ? plan.at : plan.trial;
        if (text)
          await ctx.db
            .transaction(async (m) => {
              const [row] = (await m.query(
                `insert into backup_looked values ($1, $2, $3, $4) on conflict (charter, plan, what) do update set at = backup_looked.at returning at`,
                [c.name, plan.name, what, new Date(now)],
              )) as { at: Date }[];
              const next = nextTime(text, zone, row?.at.getTime() ?? now);
              if (next === undefined || next > now) return;
              await beginBackup(ctx, m, c.name, { what, plan: plan.name }, 'Praesidor');
              await m.query('update backup_looked set at = $4 where charter = $1 and plan = $2 and what = $3', [
                c.name,
                plan.name,
                what,
                new Date(now),
              ]);
            })
            .catch((e: unknown) => {
              if (!(e instanceof Refusal)) throw e;
              ctx.log('a backup is not begun', { charter: c.name, plan: plan.name, why: e.message });
            });
      }
  }
}
