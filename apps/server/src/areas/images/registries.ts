import { type Destination, hostOf } from '@praesidor/core/access';
import { askedImages } from '@praesidor/core/images';
import type { Registry, SeenRegistry } from '@praesidor/core/model';
import { ProtocolError } from '@praesidor/protocols/dial';
import { heldAt, type RegistryAt, targetOf, walkBill } from '@praesidor/protocols/oci';
import type { Context } from '../../context.ts';
import { docTables } from '../../db/tables.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate, observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { credential } from '../keyring/service.ts';
import { authorityOf } from './authority.ts';

/** Where the credentials of a registry go. */
export const registryPlace = (r: Registry): Destination => ({
  use: 'registry',
  document: `Registry ${r.name}`,
  host: hostOf(r.endpoint),
});

/** A declared registry with its credentials and trust anchors. */
export async function openRegistry(ctx: Context, r: Registry, signal?: AbortSignal): Promise<RegistryAt> {
  const c = r.credential ? await credential(ctx.config, ctx.db.manager, r.credential, registryPlace(r)) : undefined;
  return {
    dialer: ctx.dialer,
    endpoint: r.endpoint,
    ...(r.ca ? { trust: { ca: r.ca } } : {}),
    ...(c ? { user: c.user, password: c.secret, leash: c.leash } : {}),
    ...(signal ? { signal } : {}),
  };
}

/** Hours that what was found once at a registry that tells no list is believed. */
const believed = 6;

/** What a registry holds, as it tells, or of what the bills name; what was found there before is believed for some hours. */
async function heldThere(ctx: Context, r: RegistryAt, registry: Registry, anew: boolean): Promise<Partial<SeenRegistry>> {
  let askedAt: string | undefined;
  const { asked, ...found } = await heldAt(r, async () => {
    const { estate } = await loadEstate(ctx.db);
    const before = estate.observed.registries[registry.name];
    const old = !before?.askedAt || Date.now() - Date.parse(before.askedAt) > believed * 3_600_000;
    askedAt = anew || old ? new Date().toISOString() : before?.askedAt;
    return {
      images: askedImages(Object.values(estate.observed.bills), registry),
      known: new Set(anew || old ? [] : before?.digests),
    };
  });
  return { ...found, ...(asked && askedAt ? { askedAt } : {}) };
}

/**
 * Looks at a registry: its certificate, and which digests it holds whole. What went wrong is kept too. `anew`: nothing that was
 * found before is believed.
 */
export async function lookAt(ctx: Context, name: string, anew = false): Promise<SeenRegistry> {
  const row = await ctx.db.manager.findOneBy(docTables.Registry, { key: name });
  if (!row) throw new Refusal('not-found', `There is no registry ${name}.`);
  const registry = row.doc as Registry;
  const seen: SeenRegistry = { at: new Date().toISOString(), digests: [] };
  try {
    const r = await openRegistry(ctx, registry);
    const t = targetOf(r);
    ctx.dialer.forget(t.host);
    seen.certificate = await ctx.dialer.certificate(t);
    Object.assign(seen, await heldThere(ctx, r, registry, anew));
  } catch (e) {
    if (!(e instanceof ProtocolError || e instanceof Refusal)) throw e;
    seen.error = e.message;
    seen.fault = e instanceof ProtocolError ? e.fault : 'kept-back';
  }
  await ctx.db.transaction(async (m) => {
    const [before] = (await m.query(
      "select jsonb_array_length(data->'digests') + coalesce(jsonb_array_length(data->'names'), 0) as n, data->>'error' as error, data->'certificate'->>'fingerprint' as print from observation where kind = 'registry' and subject = $1",
      [name],
    )) as { n: number; error: string | null; print: string | null }[];
    const [kept] = (await m.query(
      "select data->'scrub' as scrub, data->'renews' as renews from observation where kind = 'registry' and subject = $1",
      [name],
    )) as { scrub: SeenRegistry['scrub'] | null; renews: SeenRegistry['renews'] | null }[];
    if (kept?.scrub) seen.scrub = kept.scrub;
    const own = await authorityOf(ctx.config, m, name);
    // What went wrong with one certificate says nothing of the next.
    if (own?.issued && own.issued === seen.certificate?.fingerprint)
      seen.renews = before?.print === own.issued ? (kept?.renews ?? {}) : {};
    // A registry that cannot be reached for a moment still holds what it held.
    if (seen.error && before) {
      const [old] = (await m.query(
        "select data->'digests' as d, data->'names' as names from observation where kind = 'registry' and subject = $1",
        [name],
      )) as { d: string[]; names: string[] | null }[];
      seen.digests = old?.d ?? [];
      if (old?.names) seen.names = old.names;
    }
    await observe(m, 'registry', name, seen);
    if (
      !before ||
      before.n !== seen.digests.length + (seen.names?.length ?? 0) ||
      (before.error ?? undefined) !== seen.error ||
      (before.print ?? undefined) !== seen.certificate?.fingerprint
    )
      await tell(m, 'SeenRegistry', name);
  });
  return seen;
}

/** Walks a release or add-on at its source and keeps the bill. */
export async function computeBill(ctx: Context, name: string, signal: AbortSignal): Promise<void> {
  const { estate } = await loadEstate(ctx.db);
  const release = estate.releases.find((r) => r.name === name) ?? estate.addons.find((a) => a.name === name);
  if (!release) throw new Refusal('not-found', `There is neither a release nor an add-on ${name}.`);
  const registry = needIn(estate, 'Registry', release.source);
  const source = await openRegistry(ctx, registry, signal);
  const bill = await walkBill(source, name, release.components, release.arch ?? ['x86-64'], new Date().toISOString(), registry);
  await ctx.db.transaction(async (m) => {
    await observe(m, 'bill', name, bill);
    await tell(m, 'Bill', name);
  });
}
