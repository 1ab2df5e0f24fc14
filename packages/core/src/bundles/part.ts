import { z } from 'zod';
import type { Doc } from '../model/documents.ts';
import { docsOf, type Estate, find, keyOf } from '../model/estate.ts';
import { Bill, SeenBackups, SeenController, SeenHypervisor, SeenLosses, SeenRegistry, ServedZone } from '../model/observed.ts';
import { references } from '../model/uses.ts';

/** What names a document among all others: `Host lr-02`. */
export const nameOf = (doc: Doc): string => `${doc.kind} ${keyOf(doc)}`;

/**
 * Whether documents are of some sites: declared there, or addresses and records of what is declared there. What several sites share,
 * such as releases and profiles, is of none.
 *
 * @param docs those by which the sites of addresses and records are found
 */
export function isOfSites(docs: readonly Doc[], sites: readonly string[]): (doc: Doc) => boolean {
  const at = new Set(sites);
  const there = new Set(docs.flatMap((d) => ((d.kind === 'Network' || d.kind === 'Zone') && at.has(d.site) ? [nameOf(d)] : [])));
  return (doc) => {
    if (doc.kind === 'Site') return at.has(doc.name);
    if (doc.kind === 'Reservation') return there.has(`Network ${doc.network}`);
    if (doc.kind === 'Record') return there.has(`Zone ${doc.zone}`);
    return 'site' in doc && at.has(doc.site);
  };
}

/**
 * The part of an estate that an installation at some sites needs: all documents of these sites, whatever they refer to, wherever that
 * is, and the profiles and baselines that hosts are held against. Never a secret: documents have none.
 */
export function partOf(estate: Estate, sites: readonly string[]): Doc[] {
  const all = docsOf(estate);
  const byName = new Map(all.map((d) => [nameOf(d), d]));
  const part = new Map<string, Doc>();
  const waiting = [...all.filter(isOfSites(all, sites)), ...estate.profiles, ...estate.baselines];
  for (let doc = waiting.pop(); doc; doc = waiting.pop()) {
    const name = nameOf(doc);
    if (part.has(name)) continue;
    part.set(name, doc);
    for (const [kind, key] of references(doc)) {
      const next = byName.get(`${kind} ${key}`);
      if (next) waiting.push(next);
    }
  }
  return all.filter((d) => part.has(nameOf(d)));
}

const by = <T extends z.ZodType>(value: T) => z.record(z.string().max(300), value).default({});
/** What was observed of a part of an estate, each with its time. A kind of it is a line. */
export const PartObserved = z.strictObject({
  bills: by(Bill),
  registries: by(SeenRegistry),
  hypervisors: by(SeenHypervisor),
  controllers: by(SeenController),
  backups: by(SeenBackups),
  losses: by(SeenLosses),
  zones: by(ServedZone),
});
export type PartObserved = z.infer<typeof PartObserved>;
export type ObservedList = keyof PartObserved;
export const observedLists = Object.keys(PartObserved.shape) as ObservedList[];

/** What was observed of the documents of some sites, and the bills of what they are built from. */
export function observedOf(estate: Estate, part: readonly Doc[], sites: readonly string[]): PartObserved {
  const mine = isOfSites(part, sites);
  const named = (...kinds: Doc['kind'][]) =>
    new Set(part.filter((d) => kinds.includes(d.kind) && (mine(d) || d.kind === 'Release' || d.kind === 'Addon')).map(keyOf));
  const only = <T>(list: Record<string, T>, names: ReadonlySet<string>): Record<string, T> =>
    Object.fromEntries(Object.entries(list).filter(([name]) => names.has(name)));
  const o = estate.observed;
  return {
    bills: only(o.bills, named('Release', 'Addon')),
    registries: only(o.registries, named('Registry')),
    hypervisors: only(o.hypervisors, named('Hypervisor')),
    controllers: only(o.controllers, named('Host')),
    backups: only(o.backups, named('Charter')),
    losses: only(o.losses, named('Charter')),
    zones: only(o.zones, named('Zone')),
  };
}

/** What of what comes in is newer than what is known here, or was not known here at all. */
export function newerOf(estate: Estate, coming: PartObserved): [ObservedList, string, object][] {
  const at = (v: unknown): string => (v as { at?: string } | undefined)?.at ?? '';
  return observedLists.flatMap((list) =>
    Object.entries(coming[list]).flatMap(([name, seen]): [ObservedList, string, object][] => {
      const here = estate.observed[list][name];
      const newer = here === undefined || at(seen) > at(here) || (!at(seen) && JSON.stringify(seen) !== JSON.stringify(here));
      return newer ? [[list, name, seen]] : [];
    }),
  );
}

/** A document of an estate by what names it. */
export const standingIn =
  (estate: Estate) =>
  (kind: Doc['kind'], key: string): Doc | null =>
    find(estate, kind, key) ?? null;
