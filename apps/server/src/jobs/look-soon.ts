import { credentialOf } from '@praesidor/core/access';
import { inParallel } from '@praesidor/shipping';
import { readZone } from '../areas/addresses/zones.ts';
import { lookAtHypervisor } from '../areas/hosts/hypervisors.ts';
import { lookAt } from '../areas/images/registries.ts';
import type { Context } from '../context.ts';
import { loadEstate } from '../estate/load.ts';

/** Milliseconds that are waited for more of the same: an import declares many at once. */
const gathers = 300;
/** Lock number of the one process that looks. */
const exclusive = 3;
type Looked = 'Registry' | 'Zone' | 'Hypervisor' | 'Release' | 'Addon';
const look: Record<Looked, (ctx: Context, name: string) => Promise<unknown>> = {
  Registry: (ctx, name) => lookAt(ctx, name),
  Zone: readZone,
  Hypervisor: lookAtHypervisor,
  // What its images weigh is read from its source, which takes its time: a job of its own.
  Release: askForBill,
  Addon: askForBill,
};
function askForBill(ctx: Context, name: string): Promise<unknown> {
  return ctx.db.transaction((m) => ctx.queue.send(m, 'bills', name));
}
const isLooked = (kind: string): kind is Looked => Object.hasOwn(look, kind);

/**
 * Looks at what was just declared or changed, and at what names a credential that just came into the keyring, so that nobody waits
 * for the next round to learn whether it answers. @returns how to stop it
 */
export function lookSoon(ctx: Context): () => void {
  const wanted = new Set<string>();
  let timer: NodeJS.Timeout | undefined;
  let stopped = false;
  const go = async () => {
    timer = undefined;
    const now = [...wanted];
    wanted.clear();
    const entries = now.flatMap((w) => (w.startsWith('Keyring ') ? [w.slice(8)] : []));
    const things = new Set(now.filter((w) => !w.startsWith('Keyring ')));
    const { estate } = await loadEstate(ctx.db);
    const standing = [...estate.registries, ...estate.zones, ...estate.hypervisors, ...estate.releases, ...estate.addons];
    for (const doc of standing) if (entries.includes(credentialOf(doc)?.entry ?? '')) things.add(`${doc.kind} ${doc.name}`);
    const docs = standing.filter((d) => things.has(`${d.kind} ${d.name}`) && !('site' in d && estate.observed.heard[d.site]));
    if (!docs.length || stopped) return;
    await ctx.queue.runExclusive(exclusive, async (signal) => {
      await inParallel(docs, 8, signal, async (doc) => {
        await look[doc.kind as Looked](ctx, doc.name).catch((e: Error) => ctx.log('look', { error: e.message }));
      });
    });
  };
  const off = ctx.bus.on(({ kind, subject }) => {
    if (stopped || !(isLooked(kind) || kind === 'Keyring')) return;
    wanted.add(`${kind} ${subject}`);
    timer ??= setTimeout(() => void go().catch((e: Error) => ctx.log('look', { error: e.message })), gathers);
  });
  return () => {
    stopped = true;
    clearTimeout(timer);
    off();
  };
}
