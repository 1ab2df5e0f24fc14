import { doTo } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';
import { notOff } from '@praesidor/core/schedule';
import { ProtocolError } from '@praesidor/protocols/dial';
import { kube } from '@praesidor/protocols/kube';
import { record } from '../../../audit.ts';
import { needDoc, putDoc } from '../../../estate/documents.ts';
import { Refusal } from '../../../refusal.ts';
import { powered } from '../../hosts/machine.ts';
import { nameOf } from '../name.ts';
import { type StepContext, StepFailure, type StepRunner } from '../step.ts';

/** What is off comes back to no cluster: first the power, then the name. @throws StepFailure where nobody here can see that it is off */
async function switchOff({ ctx, log, until, signal }: StepContext, host: Host): Promise<void> {
  try {
    const machine = await powered(ctx, host, signal);
    if (!machine) throw new StepFailure('it has no management controller');
    if (await machine.on()) await machine.off();
    await until(
      async () => ((await machine.on()) ? undefined : true),
      () => 'it has power, although it was told to switch off',
    );
    await log('switched off');
  } catch (e) {
    if (!(e instanceof StepFailure || e instanceof ProtocolError || e instanceof Refusal)) throw e;
    throw new StepFailure(
      `${host.name} cannot be switched off from here: ${e.message}`,
      'Retry when its controller answers; or switch it off at the machine, and say so.',
      notOff,
    );
  }
}

/** Switches a host off, takes it out of the cluster, and lets it rest until it is wiped. */
export const leave: StepRunner = {
  kind: 'leave',
  run: async (context) => {
    const { ctx, build, step, estate, kube: k, log } = context;
    const host = estate.hosts.find((h) => h.name === step.host);
    if (!host) throw new StepFailure(`there is no host ${step.host}`);
    if (build.decided.off?.includes(host.name)) await log('off, as somebody said who saw to it', 'warn');
    else await switchOff(context, host);
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
