import { hasServerAccount, type Plan } from '@praesidor/core/charter';
import type { Estate } from '@praesidor/core/model';
import type { Context } from '../../context.ts';
import { StepFailure } from '../../engine/failure.ts';
import { kitOf } from './kit-of-build.ts';
import { kubeOf } from './kube-of.ts';
import { standing } from './proofs.ts';
import { accountOn } from './steps/files.ts';

/**
 * A cluster that was built from here and stands: its API, and its hosts over SSH.
 *
 * @param entered false: hosts need not be entered
 * @throws StepFailure with what is to be done
 */
export async function openCluster(ctx: Context, estate: Estate, name: string, entered = true) {
  const [build] = await standing(ctx, estate, name);
  if (!build)
    throw new StepFailure(`${name} does not stand, or is being changed.`, 'Wait until its change has ended, then resume.');
  const built = build.plan as Plan;
  if (entered && !hasServerAccount(built.charter))
    throw new StepFailure(
      `Hosts of ${name} have no account for this server: its certificates come by starting hosts anew.`,
      'Say under Certificates that they come over SSH, apply that change, then resume.',
    );
  const kit = await kitOf(ctx, build, estate);
  return {
    built,
    kube: kubeOf(ctx, built, kit),
    /** @throws StepFailure where it is no host of the cluster */
    login: (host: string, volume: string) => {
      const node = built.nodes.find((n) => n.host === host);
      if (!node)
        throw new StepFailure(`${volume} lies on ${host}, which is no host of ${name}.`, 'Look at its volume in the cluster.');
      return accountOn(ctx, kit, node);
    },
  };
}
