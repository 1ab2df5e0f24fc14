import { type KubeAt, type KubeList, kube } from './client.ts';

interface Container {
  resources?: { requests?: { cpu?: string | number } };
}
interface Pod {
  metadata: { ownerReferences?: { kind: string }[]; annotations?: Record<string, string> };
  spec?: { containers?: Container[]; initContainers?: Container[] };
  status?: { phase?: string };
}

const units: Record<string, number> = { n: 1e-9, u: 1e-6, m: 1e-3, '': 1, k: 1e3 };
/** Cores of a quantity as Kubernetes writes it: `250m`, `2`, `0.5`. Zero for what is none. */
export function coresOf(quantity: string | number | undefined): number {
  const found = /^(\d+(?:\.\d+)?)([numk]?)$/.exec(String(quantity ?? ''));
  return found ? Number(found[1]) * (units[found[2] as string] as number) : 0;
}

/**
 * Cores that pods ask for, of those that go elsewhere when their node goes: not those of a DaemonSet or of a file on the node, and not those that have ended. A pod
 * asks for what its containers need together, or for what one of its first containers needs, where that is more. @throws ProtocolError
 */
export async function requestedCores(k: KubeAt): Promise<number> {
  const list = await kube<KubeList<Pod>>(k, '/api/v1/pods');
  const cpu = (c: Container) => coresOf(c.resources?.requests?.cpu);
  const of = ({ spec }: Pod) =>
    Math.max(
      (spec?.containers ?? []).reduce((sum, c) => sum + cpu(c), 0),
      ...(spec?.initContainers ?? []).map(cpu),
    );
  const cores = (list?.items ?? [])
    .filter((p) => !p.metadata.ownerReferences?.some((o) => o.kind === 'DaemonSet'))
    .filter((p) => p.metadata.annotations?.['kubernetes.io/config.mirror'] === undefined)
    .filter((p) => p.status?.phase !== 'Succeeded' && p.status?.phase !== 'Failed')
    .reduce((sum, p) => sum + of(p), 0);
  return Math.round(cores * 100) / 100;
}
