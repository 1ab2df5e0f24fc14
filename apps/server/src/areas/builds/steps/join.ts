import { ProtocolError } from '@praesidor/protocols/dial';
import { isReady, type KubeAt, type KubeNode, kube } from '@praesidor/protocols/kube';
import { publishTransient } from '../../../events/bus.ts';
import { needDoc, putDoc } from '../../../estate/documents.ts';
import { nameOf } from '../name.ts';
import type { StepContext, StepRunner } from '../step.ts';

/** Lets the host start its kubelet, and waits until it does; where the API answers already, until it knows the node, of a worker until it is ready. */
async function join(s: StepContext, seen: 'not yet' | 'known' | 'ready'): Promise<string> {
  const { ctx, build, node, log, until, reports } = s;
  const host = node?.host ?? '';
  await ctx.db.manager.query('insert into build_gate (build, host) values ($1, $2) on conflict do nothing', [build.id, host]);
  await publishTransient(ctx.db.manager, 'Gate', `${build.id} ${host}`);
  await log('let through: it may start its kubelet');
  // Who stood before has an API server of its own, once it is back.
  const again = build.moves.stands.includes(host);
  const api = () => (again && node?.role === 'control-plane' ? s.kube(node) : s.kube());
  const before = s.noted('drain', 'boot');
  let started = false;
  let known = false;
  return until(
    async () => {
      for (const r of await reports())
        if (r.name === 'join') {
          await log(r.text);
          started = true;
        }
      if (seen === 'not yet') return started ? 'kubelet started' : undefined;
      const n = await kube<KubeNode>(api(), `/api/v1/nodes/${host}`).catch(() => undefined);
      known = n !== undefined;
      // It may have told so while nobody listened: that it has been started anew its kubelet says too.
      const boot = n?.status?.nodeInfo?.bootID;
      if (again && boot && before && boot !== before) started = true;
      if (seen !== 'ready') return n ? `the API knows ${host}` : undefined;
      // One that stood before may be told as ready from then.
      if (!n || !isReady(n) || (again && !started)) return undefined;
      // The next connection may come to a member that is to be mended yet.
      if (again && !(await backAtWork(s, host, api()).catch(laterWith(s)))) return undefined;
      return `${host} is ready`;
    },
    () =>
      known
        ? `${host} has joined and does not become ready`
        : started
          ? `${host} started its kubelet and the API does not know it`
          : `${host} has not started its kubelet`,
  );
}

/** What the API refuses now is asked again with the next look; it is put down why. */
const laterWith = (s: StepContext) => async (e: unknown) => {
  if (!(e instanceof ProtocolError)) throw e;
  await s.log(e.message, 'warn');
  return false;
};

/** It takes pods again, and is known to have the release. */
async function backAtWork(s: StepContext, host: string, api: KubeAt): Promise<boolean> {
  await kube(api, `/api/v1/nodes/${host}`, {
    method: 'PATCH',
    contentType: 'application/merge-patch+json',
    body: { spec: { unschedulable: null } },
  });
  await s.ctx.db.transaction(async (m) => {
    const { doc } = await needDoc(m, 'Host', host);
    if (doc.held) await putDoc(m, { ...doc, held: { ...doc.held, release: s.plan.charter.release } }, nameOf(s.build));
  });
  await s.log('takes pods again');
  return true;
}

export const joinControlPlane: StepRunner = {
  kind: 'control-plane',
  run: (s) => join(s, s.build.moves.stands.length ? 'ready' : s.plan.nodes[0]?.host === s.node?.host ? 'not yet' : 'known'),
};
export const joinWorker: StepRunner = { kind: 'worker', run: (s) => join(s, 'ready') };
