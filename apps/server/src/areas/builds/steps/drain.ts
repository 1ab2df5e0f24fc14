import { notDrained } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { type Evicted, evict, isReady, type KubeNode, kube, podsOn } from '@praesidor/protocols/kube';
import { StepFailure, type StepRunner } from '../step.ts';

/**
 * Lets nothing more onto a host, and has its pods go elsewhere one by one, as far as their disruption budgets allow. Pods of the node itself
 * (of a DaemonSet, or static) stay until it is switched off.
 */
export const drain: StepRunner = {
  kind: 'drain',
  run: async (s) => {
    const host = s.step.host ?? '';
    const node = await kube<KubeNode>(s.kube(), `/api/v1/nodes/${host}`);
    if (!node) return `the API knows no ${host}: nothing runs there`;
    await kube(s.kube(), `/api/v1/nodes/${host}`, {
      method: 'PATCH',
      contentType: 'application/merge-patch+json',
      body: { spec: { unschedulable: true } },
    });
    await s.log('nothing more is started there');
    if (s.build.decided.undrained?.includes(host)) {
      const left = await podsOn(s.kube(), host);
      return `not drained, as was decided: ${counted(left.length, 'pod')} left`;
    }
    if (!isReady(node)) return `${host} does not answer: what ran there is started elsewhere when it is taken out`;
    const first = (await podsOn(s.kube(), host)).length;
    const asked = new Set<string>();
    let left: Evicted[] = [];
    return s
      .until(
        async () => {
          const pods = await podsOn(s.kube(), host).catch(() => undefined);
          if (!pods) return undefined;
          await s.progress(first - pods.length, Math.max(first, 1));
          if (!pods.length) return first ? `${counted(first, 'pod')} went elsewhere` : 'no pods to move';
          left = [];
          for (const p of pods) {
            const answer = await evict(s.kube(), p);
            if (answer.held && !asked.has(answer.held)) {
              asked.add(answer.held);
              await s.log(`${p.namespace}/${p.name} stays for now: ${answer.held}`, 'warn');
            }
            left.push(answer);
          }
          return undefined;
        },
        () => {
          const held = left.find((l) => l.held);
          return held
            ? `${held.pod} stays on ${host}: ${held.held}`
            : `${left[0]?.pod ?? 'a pod'} was asked to go, and is still on ${host}`;
        },
      )
      .catch((e: unknown) => {
        throw e instanceof StepFailure
          ? new StepFailure(
              e.message,
              'Give it room elsewhere, or change its disruption budget, then retry; or go on without draining.',
              notDrained,
            )
          : e;
      });
  },
};
