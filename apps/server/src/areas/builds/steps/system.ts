import { diskNotEmpty } from '@praesidor/core/schedule';
import { start } from '@praesidor/protocols/hypervisor';
import { reset } from '@praesidor/protocols/redfish';
import { bmcOf } from '../../hosts/bmc.ts';
import { cast, guestOf } from '../../hosts/hypervisors.ts';
import { Silence } from '../../../engine/failure.ts';
import { StepFailure, type StepRunner } from '../step.ts';
import { patientWith } from './patiently.ts';
import { authorityOf } from '../authority.ts';
import { startFromDisk, startFromKit } from './start.ts';

/** Waits until the host has fetched its kit, laid out its disks and finished its first boot; from then on it starts from its disk. */
export const system: StepRunner = {
  kind: 'system',
  run: async (step) => {
    const { ctx, plan, node, estate, kit, retry, log, until, reports, signal } = step;
    const host = estate.hosts.find((h) => h.name === node?.host);
    if (retry && node && host?.bmc) {
      const bmc = await bmcOf(ctx, host, signal);
      await log(`once more: ${await startFromKit(bmc, host, kit, authorityOf(ctx.config))}`);
      await reset(bmc, 'ForceRestart');
    }
    if (retry && node?.guest) {
      const g = await guestOf(ctx, node.host, signal);
      await log('cast anew, and started');
      await cast(g, `${kit.bootUrl(node.host)}/`, async (text) => log(text), true);
      await start(g.driver, node.host);
    }
    // What it told while nobody drove this.
    const told = await reports();
    if (step.cutOff && !told.length && host?.bmc && !node?.guest) {
      await log('nobody was here to answer when it asked: started once more');
      await reset(await bmcOf(ctx, host, signal), 'ForceRestart');
    }
    let heard = false;
    const firstBoot = () =>
      until(
        async () => {
          for (const r of [...told.splice(0), ...(await reports())]) {
            if (r.name === diskNotEmpty && r.result === 'FAIL')
              throw new StepFailure(
                `${node?.host}: ${r.text}`,
                'Look at what is on it. If nobody needs that, choose “Erase disks and retry”.',
                diskNotEmpty,
              );
            if (r.name === 'disks' && r.result === 'FAIL')
              throw new StepFailure(`${node?.host}: ${r.text}`, 'Look at the drives of this host and at its facts, then resume.');
            if (!ofFirstBoot.has(r.name)) {
              if (r.name === 'images' || r.name === 'gate') return 'first boot done';
              // Stages of cloud-init: one that did not go well may be why what follows does not come.
              if (r.event === 'finish') await log(`${r.name}: ${r.text}`, r.result === 'SUCCESS' ? 'info' : 'warn');
              continue;
            }
            heard = true;
            await log(r.text, r.result === 'SUCCESS' ? 'info' : 'warn');
            if (r.result === 'FAIL')
              throw new StepFailure(
                `${node?.host}: ${r.text}`,
                'Look at the network configuration in its kit and at the host itself, then resume.',
              );
            if (r.event === 'finish' && (r.name === 'system' || r.name === 'phone-home')) return 'first boot done';
          }
          return undefined;
        },
        () =>
          heard
            ? `${node?.host} began its first boot and has gone silent`
            : node?.guest
              ? `${node.host} runs and never asked for its first-boot data`
              : host?.bmc?.boot === 'media'
                ? `${node?.host} has power and never started from its medium: its controller must reach ${ctx.config.publicUrl}, and its firmware start from a CD`
                : `${node?.host} has power and never asked for its boot program: firmware asks a DHCP server in ${plan.network?.name ?? 'its network'} for an address first`,
      );
    let done: string;
    try {
      done = await firstBoot();
    } catch (e) {
      // It asked while nobody was here to answer, and gave up: it is started once more, once.
      if (!(e instanceof Silence && heard && step.cutOff && host?.bmc) || node?.guest) throw e;
      await step.healed(`${host.name} had gone silent while nobody was here to answer: started once more`);
      await reset(await bmcOf(ctx, host, signal), 'ForceRestart');
      done = await firstBoot();
    }
    if (host?.bmc && !node?.guest) {
      const bmc = await bmcOf(ctx, host, signal);
      await patientWith(step, bmc.address)('boot source', () => startFromDisk(bmc, host, kit));
      await log('from now on it starts from its own disk');
    }
    return done;
  },
};
const ofFirstBoot = new Set(['system', 'phone-home', 'fetch', 'disks']);
