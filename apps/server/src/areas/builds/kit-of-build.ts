import { createHmac } from 'node:crypto';
import type { EntityManager } from 'typeorm';
import type { Plan } from '@praesidor/core/charter';
import type { KitContext } from '@praesidor/core/files';
import type { Estate } from '@praesidor/core/model';
import { hashed } from '../../auth/seal.ts';
import type { Context } from '../../context.ts';
import type { BuildRow } from '../../db/tables.ts';
import { type GivenByBuild, sealedContext } from '../clusters/kit.ts';

type Opens = 'files' | 'reports';
/** Hours after which a boot address is closed, whatever became of its build. */
const openHours = 12;

/**
 * The token of a host in a build: derived, so that a restarted server gives out the same address. That of the files, with
 * secrets among them, is another one each time that the build is resumed; that of reports stays, since machines that are up know it.
 */
const tokenOf = (ctx: Context, build: BuildRow, host: string, opens: Opens) =>
  createHmac('sha256', ctx.config.keyringKey)
    .update(opens === 'files' ? `boot files ${build.id} ${host} ${build.bootEpoch}` : `boot reports ${build.id} ${host}`)
    .digest('base64url');

/** What tells the data of one change on the disks of its hosts from those of another. */
export const installationOf = (build: Pick<BuildRow, 'id'>): string => `build ${build.id}`;

export const ofBuild = (ctx: Context, build: BuildRow, estate: Estate): GivenByBuild => ({
  server: ctx.config.publicUrl,
  installation: installationOf(build),
  // Who stands and is installed anew keeps what is on its disks.
  laidOutBy: (host) =>
    build.moves.stands.includes(host) ? estate.hosts.find((h) => h.name === host)?.held?.installed : undefined,
  stands: build.moves.stands,
  erase: (host) => build.erase.includes(host),
  bootUrl: (host) => `${ctx.config.publicUrl}/boot/${tokenOf(ctx, build, host, 'files')}`,
  reportUrl: (host) => `${ctx.config.publicUrl}/boot/${tokenOf(ctx, build, host, 'reports')}`,
});

/** Opens the addresses of those whom a change brings in, for some hours from now. */
export async function openBoot(ctx: Context, build: BuildRow): Promise<void> {
  for (const host of build.moves.joins)
    for (const opens of ['files', 'reports'] as const)
      await ctx.db.manager.query(
        `insert into boot_token (token_hash, build, host, opens, until) values ($1, $2, $3, $4, now() + interval '${openHours} hours')
         on conflict (token_hash) do update set until = excluded.until`,
        [hashed(tokenOf(ctx, build, host, opens)), build.id, host, opens],
      );
}

/** Closes them: in the transaction that ends the build, in whatever way it ends. */
export const closeBoot = (m: EntityManager, build: number) => m.query('delete from boot_token where build = $1', [build]);

export const kitOf = (ctx: Context, build: BuildRow, estate: Estate): Promise<KitContext> =>
  ctx.db.transaction((m) => sealedContext(ctx, m, build.plan as Plan, estate, ofBuild(ctx, build, estate)));
