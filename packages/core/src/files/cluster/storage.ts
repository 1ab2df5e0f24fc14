import { disksOf } from '../../charter/disks.ts';
import { storageNodes } from '../../charter/aspects/storage.ts';
import type { PlannedClass } from '../../charter/plan.ts';
import { imageOf, type KitContext, placedOn } from '../kit.ts';
import { volumeFolder } from '../writers/volumes.ts';
import { accountWith, type ClusterObject, copies, follow, nodeName, onEveryNode } from './object.ts';

/** The driver of volumes with copies, as the release's own programs register it (CSI). */
export const volumeDriver = 'volumes.praesidor';
const none = 'kubernetes.io/no-provisioner';
const standard = 'storageclass.kubernetes.io/is-default-class';

const policyOf = (c: PlannedClass) => (c.reclaim === 'keep' ? ('Retain' as const) : ('Delete' as const));

function classOf(c: PlannedClass): ClusterObject {
  return {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: c.name, ...(c.standard ? { annotations: { [standard]: 'true' } } : {}) },
    provisioner: c.kind === 'copies' ? volumeDriver : none,
    // What lies on one host is bound when it is known where its pod runs.
    volumeBindingMode: c.kind === 'local' ? 'WaitForFirstConsumer' : 'Immediate',
    reclaimPolicy: policyOf(c),
    ...(c.kind === 'copies'
      ? {
          allowVolumeExpansion: true,
          parameters: { copies: String(c.copies), apart: c.apart, 'csi.storage.k8s.io/fstype': c.filesystem },
        }
      : {}),
  };
}

/** Volumes that stand before anybody claims them: the export of an NFS server, and the folder of a class on each host. */
function volumesOf(ctx: KitContext, c: PlannedClass): ClusterObject[] {
  if (c.kind === 'nfs')
    return [
      {
        apiVersion: 'v1',
        kind: 'PersistentVolume',
        metadata: { name: c.name },
        spec: {
          storageClassName: c.name,
          // What the export holds is the server's to say: a claim of any size fits.
          capacity: { storage: '1Pi' },
          accessModes: ['ReadWriteMany', 'ReadWriteOnce', 'ReadOnlyMany'],
          persistentVolumeReclaimPolicy: 'Retain',
          mountOptions: ['nfsvers=4.1'],
          nfs: { server: c.server ?? '', path: c.path ?? '/' },
        },
      },
    ];
  if (c.kind !== 'local') return [];
  return storageNodes(ctx.plan.nodes).map((n) => {
    const disk = disksOf(n).find((d) => d.use === 'containers')?.disk ?? n.facts.disks[0];
    return {
      apiVersion: 'v1',
      kind: 'PersistentVolume',
      metadata: { name: `${c.name}-${n.host}` },
      spec: {
        storageClassName: c.name,
        // The disk has images and logs too: a half of it is promised.
        capacity: { storage: `${Math.max(1, Math.floor((disk?.sizeGB ?? 2) / 2))}G` },
        accessModes: ['ReadWriteOnce'],
        persistentVolumeReclaimPolicy: policyOf(c),
        local: { path: `${volumeFolder}/${c.name}` },
        nodeAffinity: {
          required: {
            nodeSelectorTerms: [{ matchExpressions: [{ key: 'kubernetes.io/hostname', operator: 'In', values: [n.host] }] }],
          },
        },
      },
    };
  });
}

/** The programs of the release that keep copies: one that decides, and one on every node that has disks and mounts. */
function driver(ctx: KitContext): ClusterObject[] {
  const controller = imageOf(ctx, 'volume-controller');
  const node = imageOf(ctx, 'volume-node');
  if (!controller || !node || !ctx.plan.storage.some((c) => c.kind === 'copies')) return [];
  const cluster = ctx.plan.charter.name;
  return [
    { apiVersion: 'storage.k8s.io/v1', kind: 'CSIDriver', metadata: { name: volumeDriver }, spec: { attachRequired: true } },
    ...accountWith('volume-controller', [
      { apiGroups: [''], resources: ['persistentvolumes'], verbs: [...follow, 'create', 'delete', 'patch', 'update'] },
      { apiGroups: [''], resources: ['persistentvolumeclaims', 'nodes', 'pods'], verbs: [...follow, 'update'] },
      {
        apiGroups: ['storage.k8s.io'],
        resources: ['storageclasses', 'csinodes', 'volumeattachments'],
        verbs: [...follow, 'patch'],
      },
      { apiGroups: [''], resources: ['events'], verbs: ['create', 'patch'] },
    ]),
    copies(1, {
      name: 'volume-controller',
      cluster,
      pod: {
        serviceAccountName: 'volume-controller',
        containers: [{ name: 'volume-controller', image: controller, env: [{ name: 'DRIVER', value: volumeDriver }] }],
      },
    }),
    onEveryNode({
      name: 'volume-node',
      cluster,
      pod: {
        hostNetwork: true,
        ...(placedOn(ctx.plan, 'storage') as { nodeSelector?: Record<string, string> }),
        tolerations: [{ operator: 'Exists' }],
        containers: [
          {
            name: 'volume-node',
            image: node,
            env: [nodeName, { name: 'DRIVER', value: volumeDriver }],
            securityContext: { privileged: true },
            volumeMounts: [
              { name: 'kubelet', mountPath: '/var/lib/kubelet', mountPropagation: 'Bidirectional' },
              { name: 'volumes', mountPath: volumeFolder },
              { name: 'devices', mountPath: '/dev' },
            ],
          },
        ],
        volumes: [
          { name: 'kubelet', hostPath: { path: '/var/lib/kubelet', type: 'Directory' } },
          { name: 'volumes', hostPath: { path: volumeFolder, type: 'DirectoryOrCreate' } },
          { name: 'devices', hostPath: { path: '/dev', type: 'Directory' } },
        ],
      },
    }),
  ];
}

/** Storage classes, what they need to run, and the volumes that stand before anybody claims them. */
export const storage = (ctx: KitContext): ClusterObject[] => [
  ...driver(ctx),
  ...ctx.plan.storage.flatMap((c) => [classOf(c), ...volumesOf(ctx, c)]),
];
