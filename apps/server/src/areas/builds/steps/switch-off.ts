import { doTo } from '@praesidor/core/hosts';
import type { Host } from '@praesidor/core/model';
import { notOff } from '@praesidor/core/schedule';
import { ProtocolError } from '@praesidor/protocols/dial';
import { record } from '../../../audit.ts';
import { needDoc, putDoc } from '../../../estate/documents.ts';
import { Refusal } from '../../../refusal.ts';
import { powered } from '../../hosts/machine.ts';
import { nameOf } from '../name.ts';
import { type StepContext, StepFailure } from '../step.ts';

/** What is off comes back to no cluster: first the power, then the name. @throws StepFailure where nobody here can see that it is off */
export async function switchOff({ ctx, build, log, until, signal }: StepContext, host: Host): Promise<void> {
  if (build.decided.off?.includes(host.name)) return log('off, as somebody said who saw to it', 'warn');
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

/** A host that serves no more rests until it is wiped. */
export async function letRest({ ctx, build }: StepContext, name: string): Promise<void> {
  await ctx.db.transaction(async (m) => {
    const { doc } = await needDoc(m, 'Host', name);
    if (doc.state !== 'serving') return;
    const rests = doTo({ ...doc, drained: true }, 'give-back', { fits: true });
    if ('refused' in rests) throw new StepFailure(`${name} cannot be given back: ${rests.refused}`);
    await putDoc(m, rests.host, nameOf(build));
    await record(m, nameOf(build), 'took a host out', name, { charter: build.charter });
  });
}
