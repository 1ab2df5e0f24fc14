import { formatIp, parseRange } from '@praesidor/core/address';
import type { KubeObject } from './kinds.ts';
import type { State } from './pods.ts';

/** The program of a release that gives services their addresses, by the last part of its image's name. */
const program = 'service-announcer';

/** Seconds after which another node answers for an address whose node does not renew its lease. */
const leaseSeconds = 15;

/** What a service of type LoadBalancer got, and, by ARP, which node answers for it. */
export interface Given {
  address: string;
  node?: { name: string; since: number };
}

/**
 * What becomes of services of type LoadBalancer where a program announces a pool: each has one address (Service v1, `status.loadBalancer`), keeps it, and by ARP one node answers for it,
 * which another follows when it is gone. Settings are read as the release says: `range`, `announce`, and `services` with an address a line.
 */
export class Published {
  private readonly kept = new Map<string, string>();
  private readonly leads = new Map<string, { name: string; since: number }>();

  of(objects: readonly KubeObject[], state: State, now: number): Map<KubeObject, Given> {
    const out = new Map<KubeObject, Given>();
    const runs = state.pods
      .filter((p) => p.ready && p.owner.metadata.name === program)
      .flatMap((p) => (p.node && (state.silent.get(p.node) ?? 0) < leaseSeconds ? p.node : []));
    const settings = objects.find((o) => o.kind === 'ConfigMap' && o.metadata.name === program)?.data as
      | { range?: string; announce?: string; services?: string }
      | undefined;
    if (!runs.length || !settings?.range) return out;
    const range = parseRange(settings.range);
    const planned = new Map((settings.services ?? '').split('\n').map((l) => l.trim().split(/\s+/) as [string, string]));
    const wants = objects.filter(
      (o) => o.kind === 'Service' && (o.spec as { type?: string } | undefined)?.type === 'LoadBalancer',
    );
    const keyOf = (o: KubeObject) => `${o.metadata.namespace ?? 'default'}/${o.metadata.name}`;
    const there = new Set(wants.map(keyOf));
    for (const key of this.kept.keys()) if (!there.has(key)) this.kept.delete(key);
    const taken = new Set([...this.kept.values(), ...planned.values()]);
    for (const o of wants) {
      const key = keyOf(o);
      let address = planned.get(key) ?? this.kept.get(key);
      for (let n = range.first; !address && n <= range.last; n++) {
        const text = formatIp({ v: range.v, n });
        if (!taken.has(text)) address = text;
      }
      if (!address) continue;
      taken.add(address);
      this.kept.set(key, address);
      if (settings.announce !== 'arp') {
        out.set(o, { address });
        continue;
      }
      let leads = this.leads.get(address);
      if (!leads || !runs.includes(leads.name)) {
        // Who is silent is not chosen, even where its lease has not ended.
        const choice = runs.filter((r) => !state.silent.has(r));
        if (!choice.length) continue;
        leads = { name: choice[Number(BigInt(out.size) % BigInt(choice.length))] as string, since: now };
        this.leads.set(address, leads);
      }
      out.set(o, { address, node: leads });
    }
    return out;
  }
}

/** The port of every node at which a service answers as well: from 30000 to 32767, the same one each time. */
export function nodePortOf(o: KubeObject, port: number): number {
  let n = 0;
  for (const c of `${o.metadata.namespace ?? 'default'}/${o.metadata.name} ${port}`) n = (n * 31 + c.charCodeAt(0)) % 2768;
  return 30_000 + n;
}

/** Who answers for an address, as a lease that it keeps (coordination.k8s.io/v1). */
export const leasesOf = (given: Iterable<Given>): KubeObject[] =>
  [...given].flatMap(({ address, node }) =>
    node
      ? [
          {
            apiVersion: 'coordination.k8s.io/v1',
            kind: 'Lease',
            metadata: { name: `address-${address.replaceAll(/[.:]+/g, '-').replace(/-$/, '')}`, namespace: 'kube-system' },
            spec: {
              holderIdentity: node.name,
              acquireTime: new Date(node.since).toISOString(),
              leaseDurationSeconds: leaseSeconds,
            },
          },
        ]
      : [],
  );
