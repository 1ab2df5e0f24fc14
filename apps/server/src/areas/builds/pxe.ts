import { parseIp, parsePrefix, prefixRange } from '@praesidor/core/address';
import type { Plan } from '@praesidor/core/charter';
import type { Estate } from '@praesidor/core/model';
import { stepOf } from '@praesidor/core/schedule';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { loadEstate } from '../../estate/load.ts';
import { ofBuild } from './kit-of-build.ts';
import { statusOf } from '../../engine/state.ts';
import { findBuild } from './rows.ts';

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
  const waiting = (await ctx.db.manager.query(
    `select distinct b.id, n->>'host' as host
       from build b join boot_token t on t.build = b.id, jsonb_array_elements(b.plan->'nodes') n
      where t.opens = 'files' and t.until > now() and t.host = n->>'host'
        and n->'facts'->'nics' @> jsonb_build_array(jsonb_build_object('mac', $1::text))`,
    [mac],
  )) as { id: number; host: string }[];
  // Nothing more is read for an adapter that no running build has.
  if (!waiting.length) return undefined;
  const { estate } = await loadEstate(ctx.db);
  for (const { id, host } of waiting) {
    const build = await findBuild(ctx.db.manager, id);
    if (!build || estate.hosts.find((h) => h.name === host)?.bmc?.boot !== 'pxe') continue;
    if (!startsIn(build.plan as Plan, estate, asker)) continue;
    const system = stepOf(build.steps, 'system', host);
    const step = system && (await statusOf(ctx.db.manager, build)).steps[system.id];
    if (step?.state === 'done') continue;
    return { build, host, script: `${ofBuild(ctx, build, estate).bootUrl(host)}/boot.ipxe` };
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
