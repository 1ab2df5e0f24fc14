import { counted } from '@praesidor/core/words';
import type { StepRunner } from '../step.ts';

/** Forgets the certificates and keys of a cluster that is taken down. Backups of etcd stay. */
export const forget: StepRunner = {
  kind: 'forget',
  run: async ({ ctx, build }) => {
    const rows = (await ctx.db.manager.query('delete from cluster_secret where charter = $1 returning name', [
      build.charter,
    ])) as [unknown[], number];
    return `${counted(rows[1], 'certificate or key', 'certificates and keys')} forgotten`;
  },
};
