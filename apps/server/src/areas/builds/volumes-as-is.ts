import type { VolumeAsIs } from '@praesidor/core/backup';
import type { Plan } from '@praesidor/core/charter';
import type { ClaimSeen } from '@praesidor/protocols/kube';

/** Volumes that claims have, as they are: with how many copies the plan asks for. */
export const volumesAsIs = (claims: readonly ClaimSeen[], plan: Pick<Plan, 'storage'>): VolumeAsIs[] =>
  claims.map((c) => ({
    name: `${c.namespace}/${c.claim}`,
    lies: c.lies,
    copies: c.copies,
    wanted: plan.storage.find((s) => s.name === c.class)?.copies,
  }));
