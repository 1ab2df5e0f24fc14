import { stepOf } from '@praesidor/core/schedule';
import { counted } from '@praesidor/core/words';
import { MeasuredWrong, prerequisitesOf } from '../prerequisites.ts';
import { StepFailure, type StepRunner } from '../step.ts';

/** Measures everything the build needs before it touches anything: findings, controllers, resolvers, registry, images. */
export const preflight: StepRunner = {
  kind: 'preflight',
  run: async ({ ctx, build, plan, estate, log, signal }) => {
    const wrong: string[] = [];
    const all = prerequisitesOf({ ctx, plan, estate, signal, steps: build.steps }).filter((p) => p.measure && p.aside !== true);
    const measure = async (p: (typeof all)[number]) => {
      try {
        await log(`${p.what}: ${await p.measure?.()}`);
      } catch (e) {
        const why = `${p.what}: ${(e as Error).message}`;
        if (!p.aside || e instanceof MeasuredWrong) wrong.push(why);
        await log(why, 'warn');
      }
    };
    await Promise.all(all.filter((p) => !p.last).map(measure));
    // What takes long is looked at where nothing else keeps the build.
    if (!wrong.length) for (const p of all.filter((x) => x.last)) await measure(p);
    const started = plan.nodes.filter((n) => stepOf(build.steps, 'power', n.host));
    if (ctx.config.publicUrl.startsWith('http:') && started.length)
      await log(
        `kit: it travels over plain HTTP from ${ctx.config.publicUrl}: whoever reads along on ${plan.network?.name ?? 'that network'} has the cluster's keys. Keep others off that network while it is built.`,
        'warn',
      );
    const byPxe = started.filter((n) => estate.hosts.find((h) => h.name === n.host)?.bmc?.boot === 'pxe').map((n) => n.host);
    if (byPxe.length) {
      await log(
        `PXE: until they start from their disks, whoever shows the address of an adapter of ${byPxe.join(', ')} in ${plan.network?.name ?? 'their network'} is given their kit.`,
        'warn',
      );
      if (ctx.config.tftpPort === undefined)
        await log(
          'PXE: this server gives out no first program (PRAESIDOR_TFTP_PORT is not set); another TFTP server has to: ipxe.efi.',
          'warn',
        );
    }
    if (wrong.length)
      throw new StepFailure(
        `${counted(wrong.length, 'thing is', 'things are')} not as the build needs: ${wrong.slice(0, 3).join('; ')}`,
        'Mend what is named, then resume: nothing has been touched yet.',
      );
    return 'everything measured is good';
  },
};
