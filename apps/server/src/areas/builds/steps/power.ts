import { ProtocolError, transient } from '@praesidor/protocols/dial';
import { powerState, reset, setHttpBoot } from '@praesidor/protocols/redfish';
import { bmcOf } from '../../hosts/bmc.ts';
import { guestState, start } from '@praesidor/protocols/hypervisor';
import { guestOf } from '../../hosts/hypervisors.ts';
import { castFailure } from '../../hosts/work/cast.ts';
import { StepFailure, type StepContext, type StepRunner } from '../step.ts';

/** Sets the boot source over the controller, once, and powers the host on from cold. */
export const power: StepRunner = {
  kind: 'power',
  run: async ({ ctx, node, estate, kit, log, healed, until, signal }) => {
    const host = estate.hosts.find((h) => h.name === node?.host);
    if (node?.guest) return powerGuest(ctx, node.host, log, until, signal);
    if (!node || !host?.bmc)
      throw new StepFailure(`${node?.host} has no management controller, so it cannot be started from here`);
    const bmc = await bmcOf(ctx, host, signal);
    /** Controllers are slow and forgetful: what may be gone at the next try is tried again. */
    const patiently = async <T>(what: string, act: () => Promise<T>): Promise<T> => {
      for (let tries = 1; ; tries++) {
        try {
          const answer = await act();
          if (tries > 1) await healed(`${what} failed ${tries - 1} times, then succeeded`);
          return answer;
        } catch (e) {
          const fault = ProtocolError.from(e, bmc.address);
          await log(`${what}: ${fault.message}`, 'warn');
          if (!transient(fault) || tries >= 3)
            throw new StepFailure(
              `The BMC of ${node.host} at ${fault.message}`,
              fault.fault === 'pin'
                ? 'Compare the fingerprint with the machine, accept it under Hosts, then resume.'
                : fault.fault === 'credentials'
                  ? `Correct ${host.bmc?.credential} in the keyring, then resume.`
                  : 'Look whether the controller has power and network, then resume.',
            );
        }
      }
    };
    await patiently('power off', async () => {
      if ((await powerState(bmc)) === 'On') await reset(bmc, 'ForceOff');
    });
    await patiently('boot source', () => setHttpBoot(bmc, `${kit.bootUrl(node.host)}/boot.efi`));
    await log('boots once over HTTP from its kit');
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
