import { createHash } from 'node:crypto';
import type { AskedVolume } from '@praesidor/core/backup';
import { kube, type KubeAt, type KubeList } from '@praesidor/protocols/kube';
import { StepFailure } from '../../engine/failure.ts';

interface Claim {
  spec?: { volumeName?: string };
  status?: { phase?: string };
}
interface Volume {
  spec: {
    local?: { path: string };
    csi?: { driver: string; volumeHandle: string };
    nfs?: { server: string; path: string };
    nodeAffinity?: { required?: { nodeSelectorTerms?: { matchExpressions?: { key: string; values?: string[] }[] }[] } };
  };
}
interface Pod {
  metadata: { name: string };
  spec: { nodeName?: string; volumes?: { persistentVolumeClaim?: { claimName: string } }[] };
  status?: { phase?: string };
}

/** Where a volume is read: a folder of a host. Told by the API of its cluster. @throws StepFailure where it lies nowhere that can be read */
export async function whereIs(
  at: KubeAt,
  v: Pick<AskedVolume, 'name' | 'namespace' | 'claim'>,
): Promise<{ host: string; path: string; node?: string }> {
  const ns = `/api/v1/namespaces/${v.namespace}`;
  const claim = await kube<Claim>(at, `${ns}/persistentvolumeclaims/${v.claim}`);
  if (!claim)
    throw new StepFailure(
      `The cluster has no claim ${v.namespace}/${v.claim} for ${v.name}.`,
      'Deploy the workload, or take the volume out of the plan; then resume.',
    );
  const name = claim.spec?.volumeName;
  const volume = name ? await kube<Volume>(at, `/api/v1/persistentvolumes/${name}`) : undefined;
  if (!volume)
    throw new StepFailure(
      `The claim ${v.namespace}/${v.claim} has no volume yet.`,
      'See what it waits for (kubectl describe pvc), then resume.',
    );
  const { local, csi, nfs, nodeAffinity } = volume.spec;
  if (nfs) throw new StepFailure(`${v.name} lies at the NFS server ${nfs.server}.`, 'Back it up there; take it out of the plan.');
  if (local) {
    const host = nodeAffinity?.required?.nodeSelectorTerms
      ?.flatMap((t) => t.matchExpressions ?? [])
      .find((e) => e.key === 'kubernetes.io/hostname')?.values?.[0];
    if (host) return { host, path: local.path };
  }
  if (csi) {
    const pods = (await kube<KubeList<Pod>>(at, `${ns}/pods`))?.items ?? [];
    const user = pods.find(
      (p) =>
        p.status?.phase === 'Running' &&
        p.spec.nodeName &&
        p.spec.volumes?.some((x) => x.persistentVolumeClaim?.claimName === v.claim),
    );
    if (!user?.spec.nodeName)
      throw new StepFailure(`No pod uses ${v.name}: it is mounted on no host.`, 'Start a pod that uses it, then resume.');
    // Where the kubelet mounts what a driver gives it, once for a node: by the digest of the volume's handle.
    const digest = createHash('sha256').update(csi.volumeHandle).digest('hex');
    return { host: user.spec.nodeName, path: `/var/lib/kubelet/plugins/kubernetes.io/csi/${csi.driver}/${digest}/globalmount` };
  }
  throw new StepFailure(`${v.name} (${name}) is of a kind that is read on no host.`, 'Take it out of the plan.');
}
