import { doTo } from '@praesidor/core/hosts';
import { counted } from '@praesidor/core/words';
import { needDoc, putDoc } from '../../../estate/documents.ts';
import { loadEstate } from '../../../estate/load.ts';
import { nameOf } from '../name.ts';
import type { StepRunner } from '../step.ts';

/** Hosts of a cluster that was taken in are nobody's here; what runs on them is not touched. */
export const free: StepRunner = {
  kind: 'free',
  run: ({ ctx, build }) =>
    ctx.db.transaction(async (m) => {
      const { estate } = await loadEstate(m);
      const own = estate.hosts.filter((h) => h.held?.charter === build.charter);
      for (const { name } of own) {
        const { doc } = await needDoc(m, 'Host', name);
        const step = doTo(doc, 'set-free', { fits: true });
        if ('refused' in step) throw new Error(`${name} cannot be set free: ${step.refused}`);
        await putDoc(m, step.host, nameOf(build));
      }
      return `${counted(own.length, 'host')} free`;
    }),
};
