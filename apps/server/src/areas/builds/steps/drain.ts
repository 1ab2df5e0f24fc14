import { notDrained } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { ProtocolError } from '@praesidor/protocols/dial';
import { type Evicted, evict, isReady, type KubeNode, kube, podsOn } from '@praesidor/protocols/kube';
import { type StepContext, StepFailure, type StepRunner } from '../step.ts';
import { keepsData } from './data-kept.ts';
import { keepsQuorum } from './quorum-kept.ts';

/**
 * Lets nothing more onto a host, and has its pods go elsewhere one by one, as far as their disruption budgets allow. Pods of the node itself
 * (of a DaemonSet, or static) stay until it is switched off. A member of the control plane is only let go while etcd keeps its majority without it.
 */
export const drain: StepRunner = {
  kind: 'drain',
  run: async (s) => {
    const host = s.step.host ?? '';
    await keepsQuorum(s, host);
    await keepsData(s, host);
    if (s.build.decided.undrained?.includes(host)) return undrained(s, host);
    return drained(s, host).catch(
      decidable('Give its pods room elsewhere, or change their disruption budget, then retry; or go on without draining.'),
    );
  },
};

/** What hinders it is shown with what to do, and somebody may decide to go on all the same. */
const decidable = (remedy: string) => (e: unknown) => {
  throw e instanceof StepFailure || e instanceof ProtocolError ? new StepFailure(e.message, remedy, notDrained) : e;
};

/** Nothing more is started there. @returns undefined where the API does not know it */
async function cordon(s: StepContext, host: string): Promise<KubeNode | undefined> {
  const node = await kube<KubeNode>(s.kube(), `/api/v1/nodes/${host}`);
  if (!node) return undefined;
  // Which start of it this was: when it is back, it is another one.
  if (node.status?.nodeInfo?.bootID) await s.remember('boot', node.status.nodeInfo.bootID);
  await kube(s.kube(), `/api/v1/nodes/${host}`, {
    method: 'PATCH',
    contentType: 'application/merge-patch+json',
    body: { spec: { unschedulable: true } },
  });
  await s.log('nothing more is started there');
  return node;
}

/** As somebody decided: an API that cannot be asked keeps nobody. */
async function undrained(s: StepContext, host: string): Promise<string> {
  try {
    await cordon(s, host);
    return `not drained, as was decided: ${counted((await podsOn(s.kube(), host)).length, 'pod')} left`;
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    await s.log(e.message, 'warn');
    return 'not drained, as was decided; what is left there the API does not say';
  }
}

async function drained(s: StepContext, host: string): Promise<string> {
  const node = await cordon(s, host);
  if (!node) return `the API knows no ${host}: nothing runs there`;
  if (!isReady(node)) return `${host} does not answer: what ran there is started elsewhere when it is taken out`;
  const first = (await podsOn(s.kube(), host)).length;
  const asked = new Set<string>();
  let left: Evicted[] = [];
  return s.until(
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
  );
}
