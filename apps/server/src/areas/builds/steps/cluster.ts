import { clusterObjects, networkAgents, programsIn } from '@praesidor/core/files';
import { allRun } from '@praesidor/core/model';
import { connects } from '@praesidor/protocols/dial';
import {
  apply,
  type KnownResources,
  type KubeList,
  type KubeNode,
  kube,
  leftIn,
  remove,
  running,
  whyNotRunning,
} from '@praesidor/protocols/kube';
import { objectsGone } from '../installed.ts';
import { leftAlone, objectId } from '../taken-in.ts';
import type { StepContext, StepRunner } from '../step.ts';

export const api: StepRunner = {
  kind: 'api',
  run: ({ kube: k, plan, until, log }) =>
    until(
      async () => {
        const v = await kube<{ gitVersion: string }>(k(), '/version').catch(async (e: Error) => {
          await log(e.message, 'warn');
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

/** What a cluster is given, stage by stage: of one that was taken in, what its charter says otherwise than then. */
async function givenTo(s: StepContext): Promise<ReturnType<typeof clusterObjects>> {
  const alone = await leftAlone(s.ctx.db.manager, s.build);
  const all = clusterObjects(s.kit);
  if (!alone) return all;
  return all
    .filter((x) => !['pod-network', 'names'].includes(x.stage))
    .map(({ stage, objects }) => ({ stage, objects: objects.filter((o) => !alone.same.has(objectId(o))) }));
}
const give = async (s: StepContext, stages: string[]) => {
  const known: KnownResources = new Map();
  for (const { stage, objects } of await givenTo(s))
    if (stages.includes(stage))
      for (const o of objects) {
        await apply(s.kube(), o as never, known);
        await s.log(`applied ${o.kind} ${o.metadata.name}`);
      }
};

/** Takes away what the API was given by the change before, and is not given any more. */
async function takeAway(s: StepContext): Promise<void> {
  const known: KnownResources = new Map();
  const gone = await objectsGone(s.ctx.db.manager, s.build);
  // Namespaces last: whether one is empty shows when all else is away.
  for (const o of [...gone.filter((x) => x.kind !== 'Namespace'), ...gone.filter((x) => x.kind === 'Namespace')]) {
    const name = `${o.kind} ${o.metadata.name}`;
    const lies = o.kind === 'Namespace' ? await leftIn(s.kube(), o.metadata.name) : [];
    const stays = lies.length
      ? `${lies.slice(0, 3).join(', ')}${lies.length > 3 ? ` and ${lies.length - 3} more` : ''} would go with it`
      : keeps[o.kind];
    if (stays) await s.log(`${name} is not in the plan any more and stays: ${stays}`, 'warn');
    else if (await remove(s.kube(), o, known)) await s.log(`took away ${name}`);
  }
}
/** Kinds that are not taken away with what was given: with them goes what others put there. */
const keeps: Record<string, string | undefined> = {
  CustomResourceDefinition: 'every object of its kind would go with it',
  PersistentVolumeClaim: 'the data of its volume would go with it',
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
    let why: string | undefined;
    return s.until(
      async () => {
        const nodes = await kube<KubeList<KubeNode>>(s.kube(), '/api/v1/nodes').catch(() => undefined);
        await labelRoles(s, nodes?.items ?? []);
        const ready =
          nodes?.items.filter((n) => n.status?.conditions?.some((c) => c.type === 'Ready' && c.status === 'True')).length ?? 0;
        await s.progress(ready, members);
        if (ready >= members) return `${ready} nodes ready`;
        for (const { namespace, name } of [{ namespace: 'kube-system', name: 'kube-proxy' }, ...networkAgents(s.kit)])
          why = (await whyNotRunning(s.kube(), namespace, name).catch(() => undefined)) ?? why;
        return undefined;
      },
      () => `the pod network does not come up on the control plane${why ? `: ${why}` : ''}`,
    );
  },
};

/** Programs that were given to the cluster, and what keeps each from running where it is to. */
async function waiting(s: StepContext): Promise<{ of: number; lacks: string[] }> {
  const programs = programsIn(await givenTo(s));
  const lacks: string[] = [];
  for (const p of programs) {
    const r = await running(s.kube(), p);
    if (r && allRun(p.kind, r)) continue;
    const why = await whyNotRunning(s.kube(), p.namespace, p.name, r?.labels);
    lacks.push(`${p.name} runs ${r?.ready ?? 0} of ${r?.wanted ?? 0}${why ? `: ${why}` : ''}`);
  }
  return { of: programs.length, lacks };
}

export const inbound: StepRunner = {
  kind: 'inbound',
  run: async (s) => {
    await give(s, ['inbound', 'storage', 'addons']);
    await takeAway(s);
    const { address } = s.plan.inbound;
    const routed = (await givenTo(s)).some(
      (x) => x.stage === 'inbound' && x.objects.some((o) => o.metadata.name === 'inbound-router'),
    );
    let lacks = ['nothing was asked yet'];
    const told = new Set<string>();
    return s.until(
      async () => {
        const now = await waiting(s).catch((e: Error) => ({ of: 0, lacks: [e.message] }));
        lacks = now.lacks;
        for (const l of lacks)
          if (!told.has(l)) {
            told.add(l);
            await s.log(l, 'warn');
          }
        await s.progress(now.of - lacks.length, now.of);
        if (lacks.length) return undefined;
        if (!routed) return 'all programs run; this charter has no inbound router';
        // The API says that it should; whether anybody answers there is another question.
        lacks = await connects(s.ctx.dialer.exits, 'cluster', address, 443).then(
          () => [],
          (e: Error) => [`nobody takes connections at ${address}: ${e.message}`],
        );
        return lacks.length ? undefined : `inbound at ${address}, which takes connections`;
      },
      () => lacks.slice(0, 2).join('; '),
    );
  },
};
