import type { KubeObject } from './kinds.ts';

/** Nodes as the API server prints them (meta.k8s.io/v1, Table): what a client asks for that shows lists to people. */
export function nodeTable(items: KubeObject[]) {
  const column = (name: string, priority = 0) => ({ name, type: 'string', format: '', description: name, priority });
  return {
    kind: 'Table',
    apiVersion: 'meta.k8s.io/v1',
    metadata: { resourceVersion: '1' },
    columnDefinitions: [
      column('Name'),
      column('Status'),
      column('Roles'),
      column('Age'),
      column('Version'),
      column('Internal-IP', 1),
    ],
    rows: items.map((n) => {
      const status = n.status as {
        conditions: { status: string }[];
        addresses: { address: string }[];
        nodeInfo: { kubeletVersion: string };
      };
      return {
        cells: [
          n.metadata.name,
          status.conditions[0]?.status === 'True' ? 'Ready' : 'NotReady',
          'node-role.kubernetes.io/control-plane' in (n.metadata.labels ?? {}) ? 'control-plane' : '<none>',
          age(String(n.metadata.creationTimestamp)),
          status.nodeInfo.kubeletVersion,
          status.addresses[0]?.address,
        ],
        object: { kind: 'PartialObjectMetadata', apiVersion: 'meta.k8s.io/v1', metadata: n.metadata },
      };
    }),
  };
}
const age = (since: string) => {
  const s = Math.max(0, Math.round((Date.now() - Date.parse(since)) / 1000));
  return s < 120 ? `${s}s` : `${Math.floor(s / 60)}m`;
};
