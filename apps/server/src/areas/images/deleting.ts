import { keptAt, type Retention, deletable } from '@praesidor/core/images';
import { collectUnused, deleteManifest, scrub, type ScrubAnswer, tellsNoMore } from '@praesidor/protocols/oci';
import { record } from '../../audit.ts';
import type { Context } from '../../context.ts';
import { needIn } from '../../estate/documents.ts';
import { loadEstate } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { openRegistry, lookAt } from './registries.ts';

/** What may go from a registry, looked at now: its content, the charters, and the shipments that touch it. */
export async function mayGo(ctx: Context, name: string, last: number): Promise<Retention> {
  const seen = await lookAt(ctx, name);
  if (seen.error)
    throw new Refusal('unreachable', `${name} cannot be looked at: ${seen.error}.`, {
      remedy: 'What it holds is not known, so nothing can be deleted.',
    });
  const { estate } = await loadEstate(ctx.db);
  needIn(estate, 'Registry', name);
  const moving = (await ctx.db.manager.query(
    "select label as shipment, jsonb_array_elements_text(bills) as bill from shipment where (target = $1 or source = $1) and state not in ('landed', 'stopped')",
    [name],
  )) as { shipment: string; bill: string }[];
  return deletable(estate, name, { last, moving });
}

export interface Deleted {
  names: number;
  blobs: number;
  bytes: number;
}

/**
 * Takes the images of some bills away, if they may go now as they might when they were looked at. `expect` is the
 * number of names that the engineer saw: when another plan would take more, nothing is touched.
 */
export async function takeAway(
  ctx: Context,
  name: string,
  bills: readonly string[],
  last: number,
  expect: number,
  who: string,
): Promise<Deleted> {
  // One at a time at a registry, whoever asks at whichever server.
  return ctx.db.transaction(async (m) => {
    const [turn] = (await m.query('select pg_try_advisory_xact_lock(727005, hashtext($1)) as mine', [name])) as {
      mine: boolean;
    }[];
    if (!turn?.mine)
      throw new Refusal('not-now', `Somebody is taking images away from ${name} at this moment. Nothing was taken away.`, {
        remedy: 'Look again at what can be deleted.',
      });
    return takeAwayAlone(ctx, name, bills, last, expect, who);
  });
}

async function takeAwayAlone(
  ctx: Context,
  name: string,
  bills: readonly string[],
  last: number,
  expect: number,
  who: string,
): Promise<Deleted> {
  const { estate } = await loadEstate(ctx.db);
  const registry = needIn(estate, 'Registry', name);
  if (registry.role === 'source') throw new Refusal('invalid', `${name} is a source; nothing is taken away from others.`);
  const plan = await mayGo(ctx, name, last);
  const stays = bills.find((b) => plan.stays.some((s) => s.bill === b));
  if (stays) throw new Refusal('conflict', `${stays} may not go: ${plan.stays.find((s) => s.bill === stays)?.why.join('; ')}.`);
  const nameIn = (ref: string) => {
    const { repository, tag, digest } = keptAt(ref, registry);
    return `${repository}:${tag ?? digest}`;
  };
  const going = new Set(plan.goes.filter((g) => bills.includes(g.bill)).flatMap((g) => g.images.map(nameIn)));
  // What another bill that may go, but is not asked to, still names stays too.
  for (const g of plan.goes) if (!bills.includes(g.bill)) for (const i of g.images) going.delete(nameIn(i));
  const deletes = plan.deletes.filter((d) => going.has(`${d.repository}:${d.tag ?? d.digest}`));
  if (deletes.length !== expect)
    throw new Refusal('conflict', `By now ${deletes.length} names would go, not ${expect}. Nothing was taken away.`, {
      remedy: 'Look again at what can be deleted.',
    });
  const r = await openRegistry(ctx, registry);
  const gone: string[] = [];
  const freed = { blobs: 0, bytes: 0 };
  try {
    // A name goes, not the manifest: another name may stand for the same one.
    for (const d of deletes)
      if (await deleteManifest(r, d.repository, d.tag ?? d.digest)) gone.push(`${d.repository}:${d.tag ?? d.digest}`);
    // One that is not ours frees what nothing refers to in its own time.
    const { blobs, bytes } = await collectUnused(r, { untagged: true, graceSeconds: 600 }).catch((e: unknown) => {
      if (tellsNoMore(e)) return { blobs: 0, bytes: 0 };
      throw e;
    });
    Object.assign(freed, { blobs, bytes });
  } finally {
    // What went is put down, also when the rest did not go.
    await record(ctx.db.manager, who, 'took images away', name, {
      ...{ bills, names: gone.length, blobs: freed.blobs, bytes: freed.bytes, images: gone },
      ...(gone.length < deletes.length ? { left: deletes.length - gone.length } : {}),
    });
  }
  await lookAt(ctx, name);
  return { names: gone.length, ...freed };
}

/** Begins a scrub, stops it, or tells how far it is; what it found is kept beside the registry. */
export async function scrubOf(ctx: Context, name: string, act: 'start' | 'look' | 'stop', who: string): Promise<ScrubAnswer> {
  const { estate } = await loadEstate(ctx.db);
  const answer = await scrub(await openRegistry(ctx, needIn(estate, 'Registry', name)), act).catch((e: unknown) => {
    if (tellsNoMore(e))
      throw new Refusal('not-now', `${name} tells no more than the standard: it cannot be asked to read itself again.`);
    throw e;
  });
  if (act === 'start') await record(ctx.db.manager, who, 'began a scrub', name);
  const before = estate.observed.registries[name]?.scrub;
  const seen = { ...answer, damaged: answer.damaged.slice(0, 1000), missing: answer.missing.slice(0, 1000) };
  if (JSON.stringify(before) !== JSON.stringify(seen))
    await ctx.db.transaction(async (m) => {
      await m.query("update observation set data = jsonb_set(data, '{scrub}', $2) where kind = 'registry' and subject = $1", [
        name,
        JSON.stringify(seen),
      ]);
      if (!answer.running) await tell(m, 'SeenRegistry', name);
    });
  if (!answer.running && answer.endedAt !== before?.endedAt) await lookAt(ctx, name);
  return answer;
}
