import { createHmac } from 'node:crypto';
import type { Plan } from '@praesidor/core/charter';
import type { KitContext } from '@praesidor/core/files';
import type { Estate } from '@praesidor/core/model';
import { hashed } from '../../auth/seal.ts';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { sealedContext } from '../clusters/kit.ts';

/** The token of a host in a build: derived, so that a restarted server gives out the same address. */
const tokenOf = (ctx: Context, build: number, host: string) =>
  createHmac('sha256', ctx.config.keyringKey).update(`boot ${build} ${host}`).digest('base64url');

export const bootUrl = (ctx: Context, build: number) => (host: string) =>
  `${ctx.config.publicUrl}/boot/${tokenOf(ctx, build, host)}`;

export async function openBoot(ctx: Context, build: BuildRow, plan: Plan): Promise<void> {
  for (const n of plan.nodes)
    await ctx.db.manager.query('insert into boot_token (token_hash, build, host) values ($1, $2, $3) on conflict do nothing', [
      hashed(tokenOf(ctx, build.id, n.host)),
      build.id,
      n.host,
    ]);
}

export const closeBoot = (ctx: Context, build: number) =>
  ctx.db.manager.query('delete from boot_token where build = $1', [build]);

export const kitOf = (ctx: Context, build: BuildRow, estate: Estate): Promise<KitContext> =>
  ctx.db.transaction((m) => sealedContext(ctx, m, build.plan as Plan, estate, bootUrl(ctx, build.id)));
