import { firstEnd, renewFrom } from '@praesidor/core/changes';
import type { Context } from '../../context.ts';
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
      if ((await dueChange(ctx, c.name))?.kind === 'renew') await beginChange(ctx, c.name, 'renew', 'Praesidor');
    } catch (e) {
      if (!(e instanceof Refusal)) throw e;
      ctx.log('certificates are not renewed', { charter: c.name, why: e.message });
    }
  }
}
