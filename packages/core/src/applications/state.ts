import type { Charter } from '../model/charter.ts';
import type { Addon } from '../model/documents.ts';
import { allRun, isProgram } from '../model/manifests.ts';
import { type ObjectName, objectKey, objectsOf } from './parts.ts';

/** An object of an application as the API told it; undefined of one that it was not asked for. */
export interface SeenObject {
  there: boolean;
  /** Of programs: pods that are ready, of those that are wanted, and why others are not. */
  ready?: number;
  wanted?: number;
  why?: string;
}
export type PartState = 'runs' | 'comes-up' | 'there' | 'absent' | 'not-known';
export interface Part extends ObjectName {
  state: PartState;
  ready?: number;
  wanted?: number;
  why?: string;
}
/**
 * `planned`: in the charter, and not given to the cluster yet. `comes-up`: given, and something of it does not run. `leaves`: given, and in the charter no
 * more. `not-known`: the API could not be asked.
 */
export type ApplicationState = 'planned' | 'comes-up' | 'runs' | 'leaves' | 'not-known';
export interface Application {
  /** The add-on; none: what was given and no add-on of the estate has any more. */
  addon?: string;
  state: ApplicationState;
  parts: Part[];
}

const partOf = (o: ObjectName, seen: SeenObject | undefined): Part => {
  if (!seen) return { ...o, state: 'not-known' };
  if (!seen.there) return { ...o, state: 'absent', ...(seen.why ? { why: seen.why } : {}) };
  if (!isProgram(o)) return { ...o, state: 'there' };
  const { ready = 0, wanted = 0, why } = seen;
  const runs = seen.wanted !== undefined && allRun(o.kind, { ready, wanted });
  return { ...o, state: runs ? 'runs' : 'comes-up', ready, wanted, ...(why && !runs ? { why } : {}) };
};
const good: ReadonlySet<PartState> = new Set(['runs', 'there']);

/**
 * The applications of a cluster: those of its charter first, in its order, then those that leave it. What stands is told by what was given to its API
 * last, not by what the charter says now.
 *
 * @param given what the API was given by the last change, or by the one that goes on: the charter of then, and the objects; of those in `own`, that they were
 *   given for add-ons
 * @param seen what the API says of them, by `objectKey`
 */
export function applications(
  charter: Charter,
  addons: readonly Addon[],
  given: { charter: Pick<Charter, 'addons'>; objects: readonly ObjectName[]; own: ReadonlySet<string> } | undefined,
  seen: ReadonlyMap<string, SeenObject>,
): Application[] {
  const lies = new Map((given?.objects ?? []).map((o) => [objectKey(o), o]));
  const network = new Set(addons.flatMap((a) => (a.provides ? [a.name] : [])));
  const asked = charter.addons.filter((a) => !network.has(a));
  const known = addons.filter((a) => !a.provides).map((a) => ({ addon: a, objects: objectsOf(a) }));
  const owner = new Map(
    // What two of them have is of the one that the charter asks for.
    [...known]
      .sort((a, b) => Number(asked.includes(a.addon.name)) - Number(asked.includes(b.addon.name)))
      .flatMap((k) => k.objects.map((o) => [objectKey(o), k.addon.name] as const)),
  );
  const rest = [...lies.entries()].filter(([key]) => given?.own.has(key) && !owner.has(key)).map(([, o]) => o);
  const of = (name: string) => [...lies.entries()].filter(([key]) => owner.get(key) === name).map(([, o]) => o);
  const shown = (o: ObjectName) => partOf(o, seen.get(objectKey(o)));
  const planned = asked.map((name): Application => {
    const parts = of(name).map(shown);
    // One that brings images alone has no object.
    const state = !given?.charter.addons.includes(name)
      ? 'planned'
      : parts.some((p) => p.state === 'not-known')
        ? 'not-known'
        : parts.every((p) => good.has(p.state))
          ? 'runs'
          : 'comes-up';
    return { addon: name, state, parts };
  });
  const leaving = known
    .filter((k) => !asked.includes(k.addon.name))
    .flatMap((k): Application[] => {
      const parts = of(k.addon.name).map(shown);
      return parts.length ? [{ addon: k.addon.name, state: 'leaves', parts }] : [];
    });
  return [...planned, ...leaving, ...(rest.length ? [{ state: 'leaves' as const, parts: rest.map(shown) }] : [])];
}
