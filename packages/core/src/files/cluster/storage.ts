import { disksOf } from '../../charter/disks.ts';
import { rebuildOf, roomForVolumes, storageNodes } from '../../charter/aspects/storage.ts';
import type { PlannedClass } from '../../charter/plan.ts';
import { imageOf, type KitContext } from '../kit.ts';
import { volumeFolder } from '../writers/volumes.ts';
import { accountWith, type ClusterObject, configMap, copies, follow, nodeName, onEveryNode } from './object.ts';

/** The driver of volumes with copies, as the release's own programs register it (CSI). */
export const volumeDriver = 'volumes.praesidor';
/** Of what each copy is: an object for each, which that driver writes. */
export const copyGroup = volumeDriver;
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
          parameters: {
            copies: String(c.copies),
            apart: c.apart,
            ...(c.mayShare ? { share: 'true' } : {}),
            'csi.storage.k8s.io/fstype': c.filesystem,
          },
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

/**
 * What the driver tells of each copy of a volume (apiextensions.k8s.io/v1): the volume by the name of its PersistentVolume, the host, and what the copy is. One that is `current` has all that was
 * written; one that is `filling` takes in what it lacks from another host, until about then; one that is `behind` lacks something and finds nobody who has it; `silent` is one whose host does
 * not answer; one that is `gone` is not on its host any more.
 */
const copyKind: ClusterObject = {
  apiVersion: 'apiextensions.k8s.io/v1',
  kind: 'CustomResourceDefinition',
  metadata: { name: `copies.${copyGroup}` },
  spec: {
    group: copyGroup,
    scope: 'Cluster',
    names: { plural: 'copies', singular: 'copy', kind: 'Copy', listKind: 'CopyList' },
    versions: [
      {
        name: 'v1',
        served: true,
        storage: true,
        subresources: { status: {} },
        schema: {
          openAPIV3Schema: {
            type: 'object',
            required: ['spec'],
            properties: {
              spec: {
                type: 'object',
                required: ['volume', 'host'],
                properties: { volume: { type: 'string' }, host: { type: 'string' } },
              },
              status: {
                type: 'object',
                properties: {
                  state: { type: 'string', enum: ['current', 'filling', 'behind', 'silent', 'gone'] },
                  since: { type: 'string', format: 'date-time' },
                  from: { type: 'string' },
                  filled: { type: 'integer', format: 'int64' },
                  of: { type: 'integer', format: 'int64' },
                  until: { type: 'string', format: 'date-time' },
                  message: { type: 'string' },
                },
              },
            },
          },
        },
      },
    ],
  },
};

/**
 * What the driver goes by, as files in /etc/volume-controller. `hosts` has a line for each host that copies may lie on: its name, its rack, its zone (- where it is not known), and its
 * room in GB. `rebuild` has one for each class: its name, the seconds after which a copy is made anew, from when its host counts as lost, and the Gbit/s that one host takes in.
 * What two copies must not share is said by the class.
 */
const settings = (ctx: KitContext): ClusterObject =>
  configMap('volume-controller', {
    hosts: storageNodes(ctx.plan.nodes)
      .map((node) => [node.host, node.rack || '-', node.zone || '-', roomForVolumes(node)].join(' '))
      .join('\n'),
    rebuild: ctx.plan.storage
      .filter((c) => c.kind === 'copies')
      .map((c) => `${c.name} ${rebuildOf(c).after} ${rebuildOf(c).gbit}`)
      .join('\n'),
  });

/** The programs of the release that keep copies: one that decides, and one on every node, since pods with volumes run on any. */
function driver(ctx: KitContext): ClusterObject[] {
  const controller = imageOf(ctx, 'volume-controller');
  const node = imageOf(ctx, 'volume-node');
  if (!controller || !node || !ctx.plan.storage.some((c) => c.kind === 'copies')) return [];
  const cluster = ctx.plan.charter.name;
  return [
    { apiVersion: 'storage.k8s.io/v1', kind: 'CSIDriver', metadata: { name: volumeDriver }, spec: { attachRequired: true } },
    copyKind,
    settings(ctx),
    ...accountWith('volume-controller', [
      {
        apiGroups: [copyGroup],
        resources: ['copies', 'copies/status'],
        verbs: [...follow, 'create', 'delete', 'patch', 'update'],
      },
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
        containers: [
          {
            name: 'volume-controller',
            image: controller,
            env: [{ name: 'DRIVER', value: volumeDriver }],
            volumeMounts: [{ name: 'settings', mountPath: '/etc/volume-controller', readOnly: true }],
          },
        ],
        volumes: [{ name: 'settings', configMap: { name: 'volume-controller' } }],
      },
    }),
    // It tells how far a copy is, and is told from which host one takes in what it lacks.
    ...accountWith('volume-node', [
      { apiGroups: [copyGroup], resources: ['copies'], verbs: follow },
      { apiGroups: [copyGroup], resources: ['copies/status'], verbs: ['patch', 'update'] },
      { apiGroups: [''], resources: ['persistentvolumes', 'nodes'], verbs: follow },
      { apiGroups: ['storage.k8s.io'], resources: ['volumeattachments'], verbs: follow },
    ]),
    onEveryNode({
      name: 'volume-node',
      cluster,
      pod: {
        hostNetwork: true,
        serviceAccountName: 'volume-node',
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
