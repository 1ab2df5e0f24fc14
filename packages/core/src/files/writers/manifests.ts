import { isProgram } from '../../model/manifests.ts';
import { addons, broughtNetwork } from '../cluster/addons.ts';
import { clusterDns } from '../cluster/cluster-dns.ts';
import { inbound } from '../cluster/inbound.ts';
import { kubeProxy } from '../cluster/kube-proxy.ts';
import type { ClusterObject } from '../cluster/object.ts';
import { podNetwork } from '../cluster/pod-network.ts';
import { servicePool } from '../cluster/service-pool.ts';
import { storage } from '../cluster/storage.ts';
import { type ClusterWriter, file, type KitContext } from '../kit.ts';
import { yaml } from '../quote.ts';

/** Kubelets ask for their next certificate by themselves; without this nobody grants it, and nodes drop out after a year. */
const renewal = (): ClusterObject[] => [
  {
    apiVersion: 'rbac.authorization.k8s.io/v1',
    kind: 'ClusterRoleBinding',
    metadata: { name: 'node-certificate-renewal' },
    roleRef: {
      apiGroup: 'rbac.authorization.k8s.io',
      kind: 'ClusterRole',
      name: 'system:certificates.k8s.io:certificatesigningrequests:selfnodeclient',
    },
    subjects: [{ apiGroup: 'rbac.authorization.k8s.io', kind: 'Group', name: 'system:nodes' }],
  },
];

/** What the build gives to the API, stage by stage, in this order. A new part of a cluster is a file and a line here. */
const stages = {
  'pod-network': [renewal, podNetwork, broughtNetwork, kubeProxy],
  names: [clusterDns],
  inbound: [servicePool, inbound],
  storage: [storage],
  addons: [addons],
} satisfies Record<string, ((ctx: KitContext) => ClusterObject[])[]>;
export type Stage = keyof typeof stages;

export const clusterObjects = (ctx: KitContext): { stage: Stage; objects: ClusterObject[] }[] =>
  (Object.keys(stages) as Stage[]).map((stage) => ({ stage, objects: stages[stage].flatMap((make) => make(ctx)) }));

/** The agents of the pod network: what runs on every node for it, whoever brings it. */
export const networkAgents = (ctx: KitContext): { namespace: string; name: string }[] =>
  [...podNetwork(ctx), ...broughtNetwork(ctx)].flatMap((o) =>
    o.kind === 'DaemonSet' ? [{ namespace: o.metadata.namespace ?? 'default', name: o.metadata.name }] : [],
  );

/** Programs among them, which are to run. */
export const programsOf = (ctx: KitContext): { kind: string; namespace: string; name: string }[] =>
  programsIn(clusterObjects(ctx));
export const programsIn = (given: ReturnType<typeof clusterObjects>): { kind: string; namespace: string; name: string }[] =>
  given.flatMap((s) =>
    s.objects.flatMap((o) =>
      isProgram(o) ? [{ kind: o.kind, namespace: o.metadata.namespace ?? 'default', name: o.metadata.name }] : [],
    ),
  );

export const manifests: ClusterWriter = {
  name: 'component manifests',
  write: (ctx) =>
    clusterObjects(ctx)
      .filter((s) => s.objects.length)
      .map((s, i) =>
        file(`cluster/manifests/${i + 1}-${s.stage}.yaml`, s.objects.map((o) => yaml(o)).join('---\n'), [
          'charter.release',
          'charter.pods',
          'charter.overlay',
          'charter.addons',
          'charter.storage',
          'charter.servicePool',
        ]),
      ),
};
