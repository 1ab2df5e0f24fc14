import { clusterObjects } from '@praesidor/core/files';
import { apply, type KubeList, type KubeNode, kube } from '@praesidor/protocols/kube';
import type { StepContext, StepRunner } from '../step.ts';

export const api: StepRunner = {
  kind: 'api',
  run: ({ kube: k, plan, until, log }) =>
    until(
      async () => {
        const v = await kube<{ gitVersion: string }>(k(), '/version').catch((e: Error) => {
          void log(e.message, 'warn');
          return undefined;
        });
        return v ? `${plan.api.name} answers as ${v.gitVersion}` : undefined;
      },
      () => `${plan.api.name} does not answer at ${plan.api.address}`,
    ),
};

export const quorum: StepRunner = {
  kind: 'quorum',
  run: ({ kube: k, plan, until, progress }) => {
    let seen = 0;
    return until(
      async () => {
        const e = await kube<{ subsets?: { addresses?: { ip: string }[] }[] }>(
          k(),
          '/api/v1/namespaces/default/endpoints/kubernetes',
        ).catch(() => undefined);
        seen = e?.subsets?.[0]?.addresses?.length ?? 0;
        await progress(seen, plan.quorum.members);
        return seen === plan.quorum.members ? `${seen} of ${plan.quorum.members} members` : undefined;
      },
      () => `${seen} of ${plan.quorum.members} control-plane members serve the API`,
    );
  },
};

const give = async (s: StepContext, stages: string[]) => {
  for (const { stage, objects } of clusterObjects(s.kit))
    if (stages.includes(stage))
      for (const o of objects) {
        await apply(s.kube(), o as never);
        await s.log(`applied ${o.kind} ${o.metadata.name}`);
      }
};

const roleLabel = 'node-role.kubernetes.io/control-plane';
/** The role of control-plane nodes, which a node may not give itself (NodeRestriction). */
async function labelRoles(s: StepContext, nodes: readonly KubeNode[]): Promise<void> {
  const members = new Set(s.plan.nodes.filter((n) => n.role === 'control-plane').map((n) => n.host));
  for (const { metadata } of nodes) {
    if (!members.has(metadata.name) || roleLabel in (metadata.labels ?? {})) continue;
    // Refused for a moment it is asked again with the next look; for good, the proof of roles says so.
    await kube(s.kube(), `/api/v1/nodes/${metadata.name}`, {
      method: 'PATCH',
      contentType: 'application/merge-patch+json',
      body: { metadata: { labels: { [roleLabel]: '' } } },
    }).then(
      () => s.log(`labelled ${metadata.name} as control plane`),
      (e: Error) => s.log(`${metadata.name} was not labelled as control plane: ${e.message}`, 'warn'),
    );
  }
}

export const podNetwork: StepRunner = {
  kind: 'pod-network',
  run: async (s) => {
    await give(s, ['pod-network', 'names']);
    const members = s.plan.quorum.members;
    return s.until(
      async () => {
        const nodes = await kube<KubeList<KubeNode>>(s.kube(), '/api/v1/nodes').catch(() => undefined);
        await labelRoles(s, nodes?.items ?? []);
        const ready =
          nodes?.items.filter((n) => n.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True')).length ?? 0;
        await s.progress(ready, members);
        return ready >= members ? `${ready} nodes ready` : undefined;
      },
      () => 'the pod network does not come up on the control plane',
    );
  },
};

export const inbound: StepRunner = {
  kind: 'inbound',
  run: async (s) => {
    await give(s, ['inbound', 'addons']);
    const path = '/api/v1/namespaces/kube-system/services/inbound-router';
    if (!clusterObjects(s.kit).some((x) => x.stage === 'inbound' && x.objects.length)) return 'no inbound router in this charter';
    return s.until(
      async () => {
        const svc = await kube<{ status?: { loadBalancer?: { ingress?: { ip?: string }[] } } }>(s.kube(), path).catch(
          () => undefined,
        );
        const ip = svc?.status?.loadBalancer?.ingress?.[0]?.ip;
        return ip === s.plan.inbound.address ? `inbound at ${ip}` : undefined;
      },
      () => `the inbound router has not taken ${s.plan.inbound.address}`,
    );
  },
};
