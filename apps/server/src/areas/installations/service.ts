import type * as answers from '@praesidor/contract';
import type { CarriedChange } from '@praesidor/core/bundles';
import { keyFingerprint } from '@praesidor/shipping';
import type { EntityManager } from 'typeorm';
import type { z } from 'zod';
import { record } from '../../audit.ts';
import { readDocs } from '../../estate/documents.ts';
import { observe } from '../../estate/load.ts';
import { tell } from '../../events/bus.ts';
import { Refusal } from '../../refusal.ts';
import { type BundleRow, bundlesOf, lastTaken, needBundle, needOther, othersOf } from './rows.ts';

export const shownBundle = (b: BundleRow): z.input<typeof answers.Bundle> => ({
  id: b.id,
  number: b.number,
  way: b.way,
  state: b.state,
  sites: b.sites,
  made: b.made,
  madeBy: b.madeBy,
  bytes: b.bytes,
  takenAt: b.takenAt,
  takenBy: b.takenBy,
  kept: b.kept,
});

/** Installations that are trusted here, with what was exchanged with each. */
export async function exchanged(m: EntityManager): Promise<z.input<typeof answers.OtherInstallation>[]> {
  const out: z.input<typeof answers.OtherInstallation>[] = [];
  for (const other of await othersOf(m)) {
    const bundles = await bundlesOf(m, other.key);
    const changes = (await m.query('select about, bundle, at from brought_change where key = $1 order by charter, number desc', [
      other.key,
    ])) as { about: CarriedChange; bundle: number; at: Date }[];
    out.push({
      ...other,
      fingerprint: keyFingerprint(other.key),
      confirmed: lastTaken(bundles)?.taken ?? 0,
      bundles: bundles.slice(0, 50).map(shownBundle),
      changes: changes.map(({ about: { file: _, ...about }, bundle, at }) => ({ ...about, bundle, at })),
    });
  }
  return out;
}

/** Says at which sites an installation stands. @throws Refusal for a site that is not there, or where another one stands */
export async function setSites(m: EntityManager, name: string, sites: readonly string[], who: string): Promise<void> {
  const other = await needOther(m, name);
  const wanted = [...new Set(sites)];
  const there = await readDocs(
    m,
    wanted.map((key) => ({ kind: 'Site' as const, key })),
  );
  const unknown = wanted.find((s) => !there.has(`Site ${s}`));
  if (unknown) throw new Refusal('not-found', `There is no site ${unknown}.`, { places: [{ path: 'sites', message: unknown }] });
  for (const o of await othersOf(m)) {
    const both = o.name === name ? undefined : o.sites.find((s) => wanted.includes(s));
    if (both)
      throw new Refusal('conflict', `${o.name} stands at ${both} already.`, { remedy: 'Take the site from that one first.' });
  }
  await m.query('update trusted_instance set sites = $2 where name = $1', [name, wanted]);
  const taken = lastTaken(await bundlesOf(m, other.key));
  const gone = other.sites.filter((s) => !wanted.includes(s));
  if (gone.length) await m.query("delete from observation where kind = 'heard' and subject = any($1)", [gone]);
  for (const site of wanted)
    await observe(m, 'heard', site, {
      installation: name,
      ...(taken?.sites.includes(site) ? { bundle: { number: taken.number, made: taken.made.toISOString() } } : {}),
    });
  await record(m, who, 'said where an installation stands', name, { sites: wanted });
  await tell(m, 'Bundle', name);
}

/** Takes a bundle that waits away again. @throws Refusal when it does not wait */
export async function leaveOut(m: EntityManager, id: number, who: string): Promise<void> {
  const b = await needBundle(m, id);
  if (b.state !== 'waiting') throw new Refusal('not-now', `Bundle ${b.number} does not wait here: it is ${b.state}.`);
  await m.query("delete from bundle where id = $1 and state = 'waiting'", [id]);
  await record(m, who, 'left a bundle out', `${b.sites.join(' ')} ${b.number}`);
  await tell(m, 'Bundle', String(id));
}
