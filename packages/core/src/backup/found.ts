import type { Charter } from '../model/charter.ts';
import { Workload } from '../model/workload.ts';

/** What runs in a cluster, as its API tells it. */
export interface FoundWork {
  kind: 'Deployment' | 'StatefulSet';
  namespace: string;
  name: string;
  replicas: number;
  cores: number;
  memoryGiB: number;
  tolerate?: number | undefined;
  claims: readonly string[];
  own: readonly string[];
}
/** A claim with what it has. */
export interface FoundClaim {
  namespace: string;
  claim: string;
  class?: string | undefined;
  bytes: number;
}

/**
 * What runs and is not declared, as it would be: so that it is rehearsed, backed up and restored like the rest. Claims of a Deployment whose names do not begin with its own, as those of declared ones
 * do, are left out; so is what has no pods, and what no charter could say.
 */
export function undeclared(
  charter: Pick<Charter, 'workloads'>,
  found: readonly FoundWork[],
  claims: readonly FoundClaim[],
): Workload[] {
  const known = new Set((charter.workloads ?? []).map((w) => `${w.namespace}/${w.name}`));
  return found.flatMap((w) => {
    if (known.has(`${w.namespace}/${w.name}`) || w.replicas < 1) return [];
    const of = (name: string) => claims.find((c) => c.namespace === w.namespace && c.claim === name);
    const named =
      w.kind === 'StatefulSet'
        ? w.own.map((volume) => ({ volume, claim: of(`${volume}-${w.name}-0`) }))
        : w.claims.flatMap((c) => (c.startsWith(`${w.name}-`) ? [{ volume: c.slice(w.name.length + 1), claim: of(c) }] : []));
    const volumes = named.flatMap(({ volume, claim }) =>
      claim
        ? [{ name: volume, ...(claim.class ? { class: claim.class } : {}), sizeGB: Math.max(1, Math.ceil(claim.bytes / 1e9)) }]
        : [],
    );
    const read = Workload.safeParse({
      name: w.name,
      namespace: w.namespace,
      kind: w.kind,
      replicas: w.replicas,
      // What asks for nothing is given the least: it needs a host all the same.
      cores: Math.max(0.01, w.cores),
      memoryGiB: Math.max(0.01, w.memoryGiB),
      ...(w.tolerate === undefined ? {} : { tolerate: w.tolerate }),
      ...(volumes.length ? { volumes } : {}),
    });
    return read.success ? [read.data] : [];
  });
}
