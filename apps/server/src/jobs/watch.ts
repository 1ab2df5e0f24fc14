import type { Context } from '../context.ts';
import { expire } from '../areas/addresses/ledger.ts';
import { readZone } from '../areas/addresses/zones.ts';
import { forgetKits } from '../areas/images/kit/make.ts';
import { backupsDue } from '../areas/backups/due.ts';
import { standbysDue } from '../areas/backups/standby.ts';
import { proveClusters } from '../areas/builds/proofs.ts';
import { renewClusters } from '../areas/builds/by-itself.ts';
import { renewDue } from '../areas/images/trust.ts';
import { lookAt } from '../areas/images/registries.ts';
import { readPulls } from '../areas/images/pulls.ts';
import { lookAtHypervisor } from '../areas/hosts/hypervisors.ts';
import { sampleAll } from '../areas/hosts/page.ts';
import { loadEstate, thisMinute } from '../estate/load.ts';
import { inParallel } from '@praesidor/shipping';

/**
 * Looks at the outside on its own: served zones, registries, bills not walked yet. One process at a time
 * does it (an advisory lock decides), at once after a start and then every `everyMs`.
 */
export function watch(ctx: Context, everyMs: number): () => void {
  let timer: NodeJS.Timeout | undefined;
  let stopped = false;
  const look = async (signal: AbortSignal) => {
    const [{ due } = { due: false }] = (await ctx.db.manager.query(
      "select not exists (select 1 from observation where kind = 'round' and subject = 'watch' and at > now() - make_interval(secs => $1)) as due",
      [everyMs / 2000],
    )) as { due: boolean }[];
    if (!due) return;
    await expire(ctx).catch((e: Error) => ctx.log('watch', { error: e.message }));
    const { estate } = await loadEstate(ctx.db, thisMinute());
    // Looked at before somebody asks: then what has changed since is all that has to be looked at.
    await ctx.compute.know(estate);
    if (estate.charters[0]) await ctx.compute.stopsOf(estate, estate.charters[0].name).catch(() => undefined);
    const safely = (what: Promise<unknown>) => what.catch((e: Error) => ctx.log('watch', { error: e.message }));
    for (const doc of [...estate.releases, ...estate.addons]) {
      const old = estate.observed.bills[doc.name];
      const same =
        old && old.images.length === doc.components.length && old.images.every((i, n) => i.ref === doc.components[n]?.image);
      if (!same && estate.registries.some((r) => r.name === doc.source))
        await safely(ctx.db.transaction((m) => ctx.queue.send(m, 'bills', doc.name)));
    }
    // Side by side, some at a time: of two hundred sites a few are always silent, and nobody waits for them in a row.
    // What stands where another installation does is seen from there, and comes in its bundles.
    const here = (d: { site: string }) => !estate.observed.heard[d.site];
    const looks = [
      ...estate.registries.filter(here).map((r) => async () => {
        await safely(lookAt(ctx, r.name));
        await safely(readPulls(ctx, r));
      }),
      ...estate.hypervisors.filter(here).map((h) => () => safely(lookAtHypervisor(ctx, h.name))),
      ...estate.zones.filter(here).map((z) => () => safely(readZone(ctx, z.name))),
      () => safely(sampleAll(ctx)),
    ];
    await inParallel(looks, 8, signal, async (act) => void (await act()));
    await safely(renewDue(ctx));
    await safely(renewClusters(ctx));
    await safely(proveClusters(ctx, signal));
    // Only now: a round that a kill cut short is begun again by whoever starts next.
    await ctx.db.manager.query(
      "insert into observation values ('round', 'watch', now(), '{}') on conflict (kind, subject) do update set at = now()",
    );
  };
  const round = async () => {
    let done = true;
    try {
      done = await ctx.queue.runExclusive(1, look);
    } catch (e) {
      if (!stopped) ctx.log('watch', { error: (e as Error).message });
    }
    // Who is at it now may be killed before its end: asked again soon, and nothing is done when it was done.
    if (!stopped) timer = setTimeout(() => void round(), done ? everyMs : Math.min(everyMs, 2000));
  };
  void round();
  // Private keys lie in them: by the minute, and at every start.
  const forget = () => {
    void forgetKits(ctx).catch((e: Error) => ctx.log('watch', { error: e.message }));
    void backupsDue(ctx).catch((e: Error) => ctx.log('backups', { error: e.message }));
    void standbysDue(ctx).catch((e: Error) => ctx.log('standby copies', { error: e.message }));
  };
  forget();
  const minute = setInterval(forget, ctx.config.minuteMs ?? 60_000);
  return () => {
    stopped = true;
    clearInterval(minute);
    clearTimeout(timer);
  };
}
