import { doTo } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';
import { notOff } from '@praesidor/core/schedule';
import { ProtocolError } from '@praesidor/protocols/dial';
import { record } from '../../../audit.ts';
import { needDoc, putDoc } from '../../../estate/documents.ts';
import { Refusal } from '../../../refusal.ts';
import { powered, switchedOff } from '../../hosts/machine.ts';
import { nameOf } from '../name.ts';
import { type StepContext, StepFailure } from '../step.ts';

/** How long a machine has to shut down, in seconds: what its pods have to stop, and a minute for the system; not longer than four times what is waited for a sign. */
export const timeToStop = ({ ctx, plan }: StepContext): number => Math.min(plan.timers.stop + 60, 4 * ctx.config.timeoutSeconds);

/** What is off comes back to no cluster: first the power, then the name. @throws StepFailure where nobody here can see that it is off */
export async function switchOff(context: StepContext, host: Host): Promise<void> {
  const { ctx, build, log, until, signal } = context;
  if (build.decided.off?.includes(host.name)) return log('off, as somebody said who saw to it', 'warn');
  try {
    const machine = await powered(ctx, host, signal);
    if (!machine) throw new StepFailure('it has no management controller');
    await log(`${host.name} ${await switchedOff(machine, timeToStop(context), signal)}`);
    await until(
      async () => ((await machine.on()) ? undefined : true),
      () => 'it has power, although it was told to switch off',
    );
  } catch (e) {
    if (!(e instanceof StepFailure || e instanceof ProtocolError || e instanceof Refusal)) throw e;
    throw new StepFailure(
      `${host.name} cannot be switched off from here: ${e.message}`,
      'Retry when its controller answers; or switch it off at the machine, and say so.',
      notOff,
    );
  }
}

/** A host of a cluster that was taken down stays held for it, with what lies on its drives, until it is given back. */
export async function standDown({ ctx, build }: StepContext, name: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const { doc } = await needDoc(m, 'Host', name);
    if (doc.state !== 'serving') return;
    const stands = doTo(doc, 'stand-down', { fits: true });
    if ('refused' in stands) throw new StepFailure(`${name} cannot be stood down: ${stands.refused}`);
    await putDoc(m, stands.host, nameOf(build));
    await record(m, nameOf(build), 'stood a host down', name, { charter: build.charter });
  });
}

/** A host that serves no more rests until it is wiped. */
export async function letRest({ ctx, build }: StepContext, name: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const { doc } = await needDoc(m, 'Host', name);
    if (doc.state !== 'serving' && doc.state !== 'held') return;
    const rests = doTo({ ...doc, drained: true }, 'give-back', { fits: true });
    if ('refused' in rests) throw new StepFailure(`${name} cannot be given back: ${rests.refused}`);
    await putDoc(m, rests.host, nameOf(build));
    await record(m, nameOf(build), 'took a host out', name, { charter: build.charter });
  });
}
