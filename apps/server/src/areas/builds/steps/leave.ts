import { doTo } from '@praesidor/core/hosts';
import { kube } from '@praesidor/protocols/kube';
import { record } from '../../../audit.ts';
import { needDoc, putDoc } from '../../../estate/documents.ts';
import { powered } from '../../hosts/machine.ts';
import { nameOf } from '../name.ts';
import { StepFailure, type StepRunner } from '../step.ts';

/** Switches a host off, takes it out of the cluster, and lets it rest until it is wiped. */
export const leave: StepRunner = {
  kind: 'leave',
  run: async ({ ctx, build, step, estate, kube: k, log, until, signal }) => {
    const host = estate.hosts.find((h) => h.name === step.host);
    if (!host) throw new StepFailure(`there is no host ${step.host}`);
    const machine = await powered(ctx, host, signal);
    if (machine) {
      // What is off comes back to no cluster: first the power, then the name.
      if (await machine.on()) await machine.off();
      await until(
        async () => ((await machine.on()) ? undefined : true),
        () => `${host.name} does not switch off`,
      );
      await log('switched off');
    } else await log('nobody here can switch it off: see to it that it does not come back', 'warn');
    await kube(k(), `/api/v1/nodes/${host.name}`, { method: 'DELETE' });
    await log('taken out of the cluster');
    await ctx.db.transaction(async (m) => {
      const { doc } = await needDoc(m, 'Host', host.name);
      if (doc.state !== 'serving') return;
      const rests = doTo({ ...doc, drained: true }, 'give-back', { fits: true });
      if ('refused' in rests) throw new StepFailure(`${host.name} cannot be given back: ${rests.refused}`);
      await putDoc(m, rests.host, nameOf(build));
      await record(m, nameOf(build), 'took a host out', host.name, { charter: build.charter });
    });
    return 'off, and rests until it is wiped';
  },
};
