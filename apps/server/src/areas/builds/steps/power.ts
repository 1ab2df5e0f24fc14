import { ProtocolError } from '@praesidor/protocols/dial';
import { powerState, reset } from '@praesidor/protocols/redfish';
import { bmcOf } from '../../hosts/bmc.ts';
import { guestState, start } from '@praesidor/protocols/hypervisor';
import { guestOf } from '../../hosts/hypervisors.ts';
import { powered, switchedOff } from '../../hosts/machine.ts';
import { castFailure } from '../../hosts/work/cast.ts';
import { StepFailure, type StepContext, type StepRunner } from '../step.ts';
import { patientWith } from './patiently.ts';
import { authorityOf } from '../authority.ts';
import { startFromKit } from './start.ts';
import { timeToStop } from './switch-off.ts';

/** Sets the boot source over the controller, until the host starts from its own disk, and powers it on from cold. */
export const power: StepRunner = {
  kind: 'power',
  run: async (step) => {
    const { ctx, node, estate, kit, log, until, signal } = step;
    const host = estate.hosts.find((h) => h.name === node?.host);
    if (node?.guest) return powerGuest(ctx, node.host, log, until, signal);
    if (!node || !host?.bmc)
      throw new StepFailure(`${node?.host} has no management controller, so it cannot be started from here`);
    const bmc = await bmcOf(ctx, host, signal);
    const patiently = patientWith(step, bmc.address);
    const machine = await powered(ctx, host, signal);
    await patiently('power off', async () => {
      // What serves is shut down; what does not is nobody's, and may hang.
      if (machine && step.build.moves.stands.includes(host.name) && !step.retry)
        await log(`${host.name} ${await switchedOff(machine, timeToStop(step), signal)}`);
      else if ((await powerState(bmc)) === 'On') await reset(bmc, 'ForceOff');
    });
    await log(await patiently('boot source', () => startFromKit(bmc, host, kit, authorityOf(ctx.config))));
    await patiently('power on', () => reset(bmc, 'On'));
    await until(
      async () => ((await powerState(bmc).catch(() => 'Off')) === 'On' ? true : undefined),
      () => `${node.host} stays off although its BMC took the command`,
    );
    return 'on';
  },
};

/** A guest is started by its hypervisor. */
async function powerGuest(
  ctx: StepContext['ctx'],
  name: string,
  log: StepContext['log'],
  until: StepContext['until'],
  signal: AbortSignal,
): Promise<string> {
  const g = await guestOf(ctx, name, signal);
  try {
    await start(g.driver, name);
  } catch (e) {
    if (!(e instanceof ProtocolError)) throw e;
    const f = castFailure(name, g.on.name, e);
    throw new StepFailure(f.message, f.remedy);
  }
  await log(`started on ${g.on.name}`);
  return until(
    async () => ((await guestState(g.driver, name).catch(() => undefined))?.state === 'running' ? 'on' : undefined),
    () => `${name} stays off although ${g.on.name} took the command`,
  );
}
