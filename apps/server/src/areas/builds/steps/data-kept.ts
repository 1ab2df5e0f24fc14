import { keptBy, liesAlone } from '@praesidor/core/backup';
import { storageNodes } from '@praesidor/core/charter';
import { clusterObjects } from '@praesidor/core/files';
import { notDrained, onlyHere } from '@praesidor/core/schedule';
import { apply, type ClaimSeen, claimsSeen, isReady, type KubeList, type KubeNode, kube } from '@praesidor/protocols/kube';
import { ProtocolError } from '@praesidor/protocols/dial';
import { volumesAsIs } from '../volumes-as-is.ts';
import { type StepContext, StepFailure } from '../step.ts';

/**
 * No volume loses its only whole copy with a host. One that leaves for good is taken out of where copies may lie, and is let go when all of its volumes have as many whole copies on
 * hosts that stay as their classes ask for. Somebody may decide to go on all the same.
 */
export async function keepsData(s: StepContext, host: string): Promise<void> {
  if (s.build.decided.unkept?.includes(host)) return;
  const going = s.build.moves.leaves.includes(host) ? s.build.moves.leaves : undefined;
  let held: string[] = [];
  let why = '';
  let told = '';
  let driver = false;
  const asked = async () => {
    if (going && !driver) await leavesDriver(s);
    driver = true;
    const nodes = going ? ((await kube<KubeList<KubeNode>>(s.kube(), '/api/v1/nodes'))?.items ?? []).filter(isReady) : [];
    const places = storageNodes(s.plan.nodes).filter((n) => nodes.some((x) => x.metadata.name === n.host)).length;
    return { claims: await claimsSeen(s.kube()), places };
  };
  try {
    await s.until(
      async () => {
        const seen = await asked().catch((e: unknown) => {
          if (!(e instanceof ProtocolError)) throw e;
          why = e.message;
          return undefined;
        });
        // As somebody decided: an API that cannot be asked keeps nobody.
        if (!seen) return s.build.decided.undrained?.includes(host) ? true : undefined;
        why = '';
        const volumes = volumesAsIs(seen.claims, s.plan);
        held = keptBy(volumes, host, going && { going, places: seen.places });
        const lacks = held.map((h) => h.split(';')[0]).join('; ');
        if (lacks && lacks !== told) await s.log(held.join('; '));
        told = lacks;
        // Bytes that copies have taken in: as long as there are more of them, it goes on.
        const [filled, of] = taken(seen.claims);
        if (of) await s.progress(filled, of);
        // What lies on one host alone does not go elsewhere by itself: that is not waited for.
        return held.length && !(going && volumes.some((v) => liesAlone(v, host, going))) ? undefined : true;
      },
      () => why || held.join('; '),
    );
  } catch (e) {
    if (!(e instanceof StepFailure) && !(e instanceof ProtocolError)) throw e;
    if (why)
      throw new StepFailure(e.message, 'See why the API does not answer, then retry; or go on without draining.', notDrained);
    throw new StepFailure(
      e.message,
      'See why its copies are not rebuilt (Volumes, As they are), then retry; or go on without its data.',
      onlyHere,
    );
  }
  if (held.length)
    throw new StepFailure(
      held.join('; '),
      'Back it up and give it back to a volume elsewhere, delete its claim, then retry; or go on without its data.',
      onlyHere,
    );
}

const taken = (claims: readonly ClaimSeen[]): [number, number] => {
  const filling = claims.flatMap((c) => c.copies ?? []).filter((c) => c.of);
  return [filling.reduce((sum, c) => sum + (c.filled ?? 0), 0), filling.reduce((sum, c) => sum + (c.of ?? 0), 0)];
};

/** The driver of copies is told the hosts of the plan: what lies on others is rebuilt on these. */
async function leavesDriver(s: StepContext): Promise<void> {
  const settings = clusterObjects(s.kit)
    .flatMap((x) => (x.stage === 'storage' ? x.objects : []))
    .find((o) => o.kind === 'ConfigMap');
  if (settings) await apply(s.kube(), settings as never);
}
