import { parseIp, parsePrefix, prefixRange } from '@praesidor/core/address';
import type { Plan } from '@praesidor/core/charter';
import type { Estate } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import { type BuildRow, Builds } from '../../db/tables.ts';
import { loadEstate } from '../../estate/load.ts';
import { ofBuild } from './kit-of-build.ts';
import { statusOf } from './state.ts';

/**
 * The host of a running build that starts by PXE, has an adapter with this address, and has not started from its disk yet: with its
 * boot script. It is told to whoever asks from the networks that it may start in, since iPXE shows nothing but the adapter's address.
 * Undefined: there is none.
 */
export async function pxeHost(
  ctx: Context,
  mac: string,
  asker: string,
): Promise<{ build: BuildRow; host: string; script: string } | undefined> {
  const open = (await ctx.db.manager.query(
    "select distinct build, host from boot_token where opens = 'files' and until > now()",
  )) as { build: number; host: string }[];
  if (!open.length) return undefined;
  const { estate } = await loadEstate(ctx.db);
  for (const id of [...new Set(open.map((o) => o.build))]) {
    const build = await ctx.db.manager.findOneBy(Builds, { id });
    const plan = build?.plan as Plan | undefined;
    if (!build || !plan) continue;
    const host = open
      .filter((o) => o.build === id)
      .map((o) => estate.hosts.find((h) => h.name === o.host))
      .find((h) => h?.bmc?.boot === 'pxe' && h.facts?.nics.some((n) => n.mac === mac))?.name;
    if (!host || !startsIn(plan, estate, asker)) continue;
    const step = (await statusOf(ctx.db.manager, build)).status.steps[`${host}/system`];
    if (step?.state === 'done') continue;
    return { build, host, script: `${ofBuild(ctx, build).bootUrl(host)}/boot.ipxe` };
  }
  return undefined;
}

/** Whether an address lies in a network that hosts of this plan may start in: their own, or one for provisioning at their site. */
function startsIn(plan: Plan, estate: Estate, asker: string): boolean {
  const address = parseIp(asker.replace(/^::ffff:/, ''));
  return estate.networks
    .filter((n) => n.site === plan.charter.site && (n.name === plan.network?.name || n.purpose === 'provisioning'))
    .map((n) => prefixRange(parsePrefix(n.prefix)))
    .some((r) => r.v === address.v && r.first <= address.n && address.n <= r.last);
}
