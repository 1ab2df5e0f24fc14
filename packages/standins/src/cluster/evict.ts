import type { KubeObject } from './kinds.ts';
import type { Pod, State } from './pods.ts';

/** A number, or a share of so many, rounded up as the API does it. */
const amount = (said: number | string, of: number): number =>
  typeof said === 'number' ? said : Math.ceil((Number.parseFloat(said) / 100) * of);

/**
 * Why a pod may not be evicted now, in the words of the API (policy/v1): a budget needs as many healthy pods as it has, or more.
 * undefined: it may.
 */
export function heldByBudget(pod: Pod, state: State, objects: readonly KubeObject[]): string | undefined {
  for (const o of objects) {
    if (o.kind !== 'PodDisruptionBudget' || o.metadata.namespace !== pod.namespace) continue;
    const wanted = Object.entries((o.spec?.selector?.matchLabels ?? {}) as Record<string, string>);
    const covers = (p: Pod) => p.namespace === pod.namespace && wanted.every(([k, v]) => p.labels[k] === v);
    if (!wanted.length || !covers(pod)) continue;
    const all = state.pods.filter(covers);
    const healthy = all.filter((p) => p.ready).length;
    const needs =
      o.spec.minAvailable === undefined
        ? all.length - amount(o.spec.maxUnavailable ?? 1, all.length)
        : amount(o.spec.minAvailable, all.length);
    if (healthy - 1 < needs)
      return `The disruption budget ${o.metadata.name} needs ${needs} healthy pods and has ${healthy} currently`;
  }
  return undefined;
}

/** What the API answers to an eviction; `key`: what of the pod is made anew elsewhere. */
export function evict(
  asked: { namespace: string; name: string },
  state: State,
  objects: readonly KubeObject[],
): { status: number; body: object; key?: string } {
  const status = { kind: 'Status', apiVersion: 'v1', metadata: {} };
  const pod = state.pods.find((p) => p.namespace === asked.namespace && p.name === asked.name);
  if (!pod)
    return {
      status: 404,
      body: { ...status, status: 'Failure', message: `pods "${asked.name}" not found`, reason: 'NotFound', code: 404 },
    };
  const message = heldByBudget(pod, state, objects);
  if (!message) return { status: 201, body: { ...status, status: 'Success', code: 201 }, key: pod.key };
  return {
    status: 429,
    body: {
      ...status,
      status: 'Failure',
      message: "Cannot evict pod as it would violate the pod's disruption budget.",
      reason: 'TooManyRequests',
      details: { causes: [{ reason: 'DisruptionBudget', message }] },
      code: 429,
    },
  };
}
