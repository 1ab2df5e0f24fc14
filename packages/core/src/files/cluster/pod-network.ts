import { familiesOf } from '../../charter/families.ts';
import { imageOf, type KitContext } from '../kit.ts';
import { cni } from '../writers/runtime.ts';
import { accountWith, type ClusterObject, configMap, follow, nodeName, onEveryNode } from './object.ts';

const name = 'pod-network';

/**
 * The pod network: the release's own program, on every node before anything else. It is told the range, the length of a node's
 * block, encapsulation and MTU as files in /etc/pod-network, reads nodes and pods, and lays its CNI configuration and programs
 * where the runtime looks. A second image, `pod-network-init`, runs before it where the release has one.
 */
export function podNetwork(ctx: KitContext): ClusterObject[] {
  const image = imageOf(ctx, name);
  const init = imageOf(ctx, 'pod-network-init');
  const { charter, podMtu } = ctx.plan;
  if (!image || charter.podNetwork) return [];
  const families = familiesOf(charter);
  const mounts = [
    { name: 'settings', mountPath: '/etc/pod-network', readOnly: true },
    { name: 'cni-configuration', mountPath: '/host/cni/net.d' },
    { name: 'cni-programs', mountPath: '/host/cni/bin' },
  ];
  const env = [nodeName, { name: 'NODE_ADDRESS', valueFrom: { fieldRef: { fieldPath: 'status.hostIP' } } }];
  return [
    ...accountWith(name, [
      { apiGroups: [''], resources: ['nodes', 'pods', 'namespaces'], verbs: follow },
      { apiGroups: [''], resources: ['nodes/status'], verbs: ['patch', 'update'] },
      { apiGroups: ['networking.k8s.io'], resources: ['networkpolicies'], verbs: follow },
    ]),
    configMap(name, {
      range: families.map((f) => f.pods).join(','),
      perNode: families.map((f) => f.perNode).join(','),
      overlay: charter.overlay.kind,
      mtu: String(podMtu.pod),
    }),
    onEveryNode({
      name,
      cluster: charter.name,
      pod: {
        hostNetwork: true,
        serviceAccountName: name,
        ...(init
          ? { initContainers: [{ name: 'init', image: init, env, volumeMounts: mounts, securityContext: { privileged: true } }] }
          : {}),
        containers: [
          {
            name,
            image,
            env,
            securityContext: { privileged: true },
            volumeMounts: [
              ...mounts,
              { name: 'run', mountPath: '/run/pod-network' },
              { name: 'modules', mountPath: '/lib/modules', readOnly: true },
            ],
          },
        ],
        volumes: [
          { name: 'settings', configMap: { name } },
          { name: 'cni-configuration', hostPath: { path: cni.conf_dir, type: 'DirectoryOrCreate' } },
          { name: 'cni-programs', hostPath: { path: cni.bin_dir, type: 'DirectoryOrCreate' } },
          { name: 'run', hostPath: { path: '/run/pod-network', type: 'DirectoryOrCreate' } },
          { name: 'modules', hostPath: { path: '/lib/modules', type: 'Directory' } },
        ],
      },
    }),
  ];
}
