import { type KubeAt, type KubeList, kube } from './client.ts';

interface Container {
  resources?: { requests?: { cpu?: string | number; memory?: string | number } };
}
interface Pod {
  metadata: { ownerReferences?: { kind: string }[]; annotations?: Record<string, string> };
  spec?: { containers?: Container[]; initContainers?: Container[] };
  status?: { phase?: string };
}

/** By the suffixes of quantities, decimal and binary. */
const decimal = ['n', 'u', 'm', '', 'k', 'M', 'G', 'T', 'P', 'E'];
const binary = ['Ki', 'Mi', 'Gi', 'Ti', 'Pi', 'Ei'];
/**
 * The value of a quantity as Kubernetes writes it: `250m` is 0.25, `2Gi` is 2 × 1024³, `1e3` is 1000. Zero for what is none.
 */
export function quantityOf(quantity: string | number | undefined): number {
  const found = /^(\d+(?:\.\d+)?)(?:[eE]([+-]?\d+)|([KMGTPE]i|[numkMGTPE]))?$/.exec(String(quantity ?? ''));
  if (!found) return 0;
  const [, digits, exponent, suffix = ''] = found;
  if (exponent !== undefined) return Number(`${digits}e${exponent}`);
  const power = binary.indexOf(suffix);
  return power >= 0 ? Number(digits) * 1024 ** (power + 1) : Number(`${digits}e${(decimal.indexOf(suffix) - 3) * 3}`);
}

/**
 * What pods ask for, of those that go elsewhere when their node goes: not those of a DaemonSet or of a file on the node, and not those that have ended. A pod
 * asks for what its containers need together, or for what one of its first containers needs, where that is more. @throws ProtocolError
 */
export async function requestedRoom(k: KubeAt): Promise<{ cores: number; memoryGiB: number; pods: number }> {
  const list = await kube<KubeList<Pod>>(k, '/api/v1/pods');
  const pods = (list?.items ?? [])
    .filter((p) => !p.metadata.ownerReferences?.some((o) => o.kind === 'DaemonSet'))
    .filter((p) => p.metadata.annotations?.['kubernetes.io/config.mirror'] === undefined)
    .filter((p) => p.status?.phase !== 'Succeeded' && p.status?.phase !== 'Failed');
  const sum = (of: 'cpu' | 'memory') => {
    const asks = (c: Container) => quantityOf(c.resources?.requests?.[of]);
    return pods.reduce(
      (all, { spec }) =>
        all +
        Math.max(
          (spec?.containers ?? []).reduce((n, c) => n + asks(c), 0),
          ...(spec?.initContainers ?? []).map(asks),
        ),
      0,
    );
  };
  const two = (n: number) => Math.round(n * 100) / 100;
  return { cores: two(sum('cpu')), memoryGiB: two(sum('memory') / 1024 ** 3), pods: pods.length };
}
