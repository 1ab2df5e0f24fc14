import { z } from 'zod';
import { type Doc, type Kind, kinds } from './documents.ts';
import { type Estate, keyOf, sliceOf } from './estate.ts';
import {
  Acceptance,
  Bill,
  Heard,
  SeenBackups,
  SeenLosses,
  SeenController,
  SeenHypervisor,
  SeenRegistry,
  ServedZone,
  Sighting,
} from './observed.ts';

const some = <T extends z.ZodType>(of: T) => z.record(z.string(), of.nullable()).optional();

/** What lies between two states of an estate: documents and observations that came or are others by now, and those that went. */
export const EstateDifference = z.strictObject({
  now: z.string(),
  /** Documents as they are now. */
  docs: z.array(z.custom<Doc>((d) => typeof d === 'object' && d !== null && Object.hasOwn(kinds, (d as Doc).kind))),
  /** Documents that are no more: `Kind key`. */
  gone: z.array(z.string()),
  keys: z.array(z.strictObject({ name: z.string(), use: z.string(), places: z.array(z.string()) })).optional(),
  accepted: z.array(Acceptance).optional(),
  sightings: z.array(Sighting).optional(),
  /** Observations by what they are of; null where there is none any more. */
  bills: some(Bill),
  registries: some(SeenRegistry),
  hypervisors: some(SeenHypervisor),
  controllers: some(SeenController),
  backups: some(SeenBackups),
  losses: some(SeenLosses),
  heard: some(Heard),
  zones: some(ServedZone),
});
export type EstateDifference = z.infer<typeof EstateDifference>;

const observations = ['bills', 'registries', 'hypervisors', 'controllers', 'backups', 'losses', 'zones', 'heard'] as const;
const listed = Object.entries(sliceOf) as [Kind, (typeof sliceOf)[Kind]][];

/**
 * What lies between two states of which unchanged parts are the same objects: a document that is another object counts as changed, whatever
 * is in it. `applyDifference` makes the second of the first.
 */
export function estateDifference(before: Estate, after: Estate): EstateDifference {
  const out: EstateDifference = { now: after.now, docs: [], gone: [] };
  for (const [kind, slice] of listed) {
    const [was, is] = [before[slice] as Doc[], after[slice] as Doc[]];
    if (was === is) continue;
    const kept = new Set<Doc>(was);
    const fresh = is.filter((d) => !kept.has(d));
    out.docs.push(...fresh);
    const stands = new Set<Doc>(is);
    const keys = new Set(fresh.map(keyOf));
    for (const d of was) if (!stands.has(d) && !keys.has(keyOf(d))) out.gone.push(`${kind} ${keyOf(d)}`);
  }
  for (const name of observations) {
    const [was, is] = [before.observed[name], after.observed[name]] as [Record<string, unknown>, Record<string, unknown>];
    const changed: Record<string, unknown> = {};
    for (const k of Object.keys(is)) if (was[k] !== is[k]) changed[k] = is[k];
    for (const k of Object.keys(was)) if (!Object.hasOwn(is, k)) changed[k] = null;
    if (Object.keys(changed).length) (out as Record<string, unknown>)[name] = changed;
  }
  if (JSON.stringify(before.keys) !== JSON.stringify(after.keys)) out.keys = after.keys;
  if (JSON.stringify(before.accepted) !== JSON.stringify(after.accepted)) out.accepted = after.accepted;
  if (JSON.stringify(before.observed.sightings) !== JSON.stringify(after.observed.sightings))
    out.sightings = after.observed.sightings;
  return out;
}

/** The second state, made of the first. What did not change is the same object in both; documents that came stand behind the others. */
export function applyDifference(before: Estate, d: EstateDifference): Estate {
  const out: Estate = { ...before, now: d.now, observed: { ...before.observed } };
  const fresh = new Map(d.docs.map((doc) => [`${doc.kind} ${keyOf(doc)}`, doc]));
  const gone = new Set(d.gone);
  for (const [kind, slice] of listed) {
    const touched = d.docs.some((x) => x.kind === kind) || d.gone.some((g) => g.startsWith(`${kind} `));
    if (!touched) continue;
    const list: Doc[] = [];
    for (const doc of before[slice] as Doc[]) {
      const name = `${kind} ${keyOf(doc)}`;
      if (gone.has(name)) continue;
      list.push(fresh.get(name) ?? doc);
      fresh.delete(name);
    }
    for (const doc of fresh.values()) if (doc.kind === kind) list.push(doc);
    (out[slice] as Doc[]) = list;
  }
  for (const name of observations) {
    const changed = d[name];
    if (!changed) continue;
    const next: Record<string, unknown> = { ...before.observed[name], ...changed };
    for (const [k, v] of Object.entries(changed)) if (v === null) delete next[k];
    (out.observed as unknown as Record<string, unknown>)[name] = next;
  }
  if (d.keys) out.keys = d.keys;
  if (d.accepted) out.accepted = d.accepted;
  if (d.sightings) out.observed.sightings = d.sightings;
  return out;
}

/**
 * An estate as a page needs it: of what registries hold, only what some bill asks for, or what was found damaged; how much there is in all is
 * told as a number. The same observation gives the same object.
 */
export function estateForPage(estate: Estate): Estate {
  const { bills } = estate.observed;
  const of = Object.values(bills);
  const wanted = askedFor(of);
  const registries: Estate['observed']['registries'] = {};
  for (const [name, seen] of Object.entries(estate.observed.registries)) {
    let kept = trimmed.get(seen);
    if (!kept || kept.of.length !== of.length || kept.of.some((b, i) => b !== of[i])) {
      const damaged = new Set(seen.scrub?.damaged.map((x) => x.digest));
      kept = {
        of,
        seen: {
          ...seen,
          holds: seen.holds ?? seen.digests.length,
          digests: seen.digests.filter((x) => wanted.digests.has(x) || damaged.has(x)),
          ...(seen.names ? { names: seen.names.filter((n) => wanted.repositories.has(repositoryOf(n))) } : {}),
        },
      };
      trimmed.set(seen, kept);
    }
    registries[name] = kept.seen;
  }
  return { ...estate, observed: { ...estate.observed, registries } };
}
const trimmed = new WeakMap<SeenRegistry, { of: Bill[]; seen: SeenRegistry }>();
/** The last part of a repository's path, which stays whatever it is kept under: `kube-proxy` of `mirror/core/kube-proxy:1.34.2@sha256:…`. */
const repositoryOf = (name: string): string =>
  (name.split('@')[0] ?? '')
    .replace(/:[^:/]*$/, '')
    .split('/')
    .at(-1) ?? '';
function askedFor(bills: readonly Bill[]) {
  const digests = new Set<string>();
  const repositories = new Set<string>();
  for (const b of bills) {
    for (const d of Object.keys(b.blobs)) digests.add(d);
    for (const i of b.images) {
      digests.add(i.digest);
      for (const m of i.manifests) digests.add(m);
      repositories.add(repositoryOf(i.ref));
    }
  }
  return { digests, repositories };
}
