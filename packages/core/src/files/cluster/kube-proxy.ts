import { familiesOf } from '../../charter/families.ts';
import { imageOf, type KitContext } from '../kit.ts';
import { yaml } from '../quote.ts';
import { account, type ClusterObject, configMap, nodeName, onEveryNode } from './object.ts';

const name = 'kube-proxy';
const folder = '/var/lib/kube-proxy';
const token = '/var/run/secrets/kubernetes.io/serviceaccount';
/** Where it says, to its own host only, that it has what the API last said. */
export const proxyAlive = { address: '127.0.0.1', port: 10256, path: '/healthz' } as const;

/**
 * What makes services addresses on every node (KubeProxyConfiguration, kubeproxy.config.k8s.io/v1alpha1). It asks the API by the
 * API's own name: the address that pods use is made by itself.
 */
export function kubeProxy(ctx: KitContext): ClusterObject[] {
  const image = imageOf(ctx, name);
  const { charter, api } = ctx.plan;
  if (!image) return [];
  return [
    // The role is one of those that the API server makes itself.
    ...account(name, 'system:node-proxier'),
    configMap(name, {
      'config.yaml': yaml({
        apiVersion: 'kubeproxy.config.k8s.io/v1alpha1',
        kind: 'KubeProxyConfiguration',
        clientConnection: { kubeconfig: `${folder}/kubeconfig` },
        clusterCIDR: familiesOf(charter)
          .map((f) => f.pods)
          .join(','),
        healthzBindAddress: `${proxyAlive.address}:${proxyAlive.port}`,
        metricsBindAddress: '127.0.0.1:10249',
      }),
      kubeconfig: yaml({
        apiVersion: 'v1',
        kind: 'Config',
        clusters: [
          {
            name: charter.name,
            cluster: { server: `https://${api.name}:${api.port}`, 'certificate-authority': `${token}/ca.crt` },
          },
        ],
        users: [{ name, user: { tokenFile: `${token}/token` } }],
        contexts: [{ name: charter.name, context: { cluster: charter.name, user: name } }],
        'current-context': charter.name,
      }),
    }),
    onEveryNode({
      name,
      cluster: charter.name,
      pod: {
        hostNetwork: true,
        serviceAccountName: name,
        containers: [
          {
            name,
            image,
            command: ['kube-proxy', `--config=${folder}/config.yaml`, '--hostname-override=$(NODE_NAME)'],
            env: [nodeName],
            securityContext: { privileged: true },
            volumeMounts: [
              { name: 'settings', mountPath: folder, readOnly: true },
              { name: 'modules', mountPath: '/lib/modules', readOnly: true },
              { name: 'lock', mountPath: '/run/xtables.lock' },
            ],
          },
        ],
        volumes: [
          { name: 'settings', configMap: { name } },
          { name: 'modules', hostPath: { path: '/lib/modules', type: 'Directory' } },
          { name: 'lock', hostPath: { path: '/run/xtables.lock', type: 'FileOrCreate' } },
        ],
      },
    }),
  ];
}
