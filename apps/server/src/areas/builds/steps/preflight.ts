import { heldBy, missing } from '@praesidor/core/images';
import { bytesText, counted } from '@praesidor/core/words';
import { isIp, serverList } from '@praesidor/core/address';
import { lookup } from '@praesidor/protocols/dns';
import { ping, targetOf } from '@praesidor/protocols/oci';
import { powerState } from '@praesidor/protocols/redfish';
import { bmcFor } from '../../hosts/bmc.ts';
import { lookAtHypervisor } from '../../hosts/hypervisors.ts';
import { openRegistry, lookAt } from '../../images/registries.ts';
import { askOverTls } from '../authority.ts';
import { bootProgram, systemLacks } from '../boot-program.ts';
import { StepFailure, type StepContext, type StepRunner } from '../step.ts';

/** Whether a hypervisor answers, and has the image, and the memory for those of the cluster's guests that do not run yet. */
async function roomAt(
  ctx: StepContext['ctx'],
  plan: StepContext['plan'],
  estate: StepContext['estate'],
  name: string,
): Promise<string> {
  const seen = await lookAtHypervisor(ctx, name);
  if (seen.error) throw new Error(seen.error);
  const mine = plan.nodes.filter((n) => n.guest?.hypervisor === name);
  const running = new Set(seen.guests.filter((g) => g.state === 'running').map((g) => g.name));
  const asked = mine.filter((n) => !running.has(n.host)).reduce((s, n) => s + n.facts.memoryGiB, 0);
  if (asked > seen.freeGiB) throw new Error(`${asked} GiB are asked for ${mine.length} guests, ${seen.freeGiB} GiB are free`);
  const lacking = mine
    .map((n) => estate.moulds.find((m) => m.name === n.guest?.mould)?.image)
    .find((image) => image && !seen.images.includes(image));
  if (lacking) throw new Error(`it has no image ${lacking}`);
  return `answers, ${seen.freeGiB} GiB free, ${asked} GiB asked`;
}

/** Measures everything the build needs before it touches anything: findings, controllers, resolvers, registry, images. */
export const preflight: StepRunner = {
  kind: 'preflight',
  run: async ({ ctx, plan, estate, log, signal }) => {
    const wrong: string[] = [];
    const measure = async (what: string, act: () => Promise<string | undefined>) => {
      try {
        const said = await act();
        await log(`${what}: ${said ?? 'good'}`);
      } catch (e) {
        const why = `${what}: ${(e as Error).message}`;
        wrong.push(why);
        await log(why, 'warn');
      }
    };
    const stops = await ctx.compute.stopsOf(estate, plan.charter.name);
    for (const f of stops) {
      wrong.push(`${f.code} ${f.title}`);
      await log(`${f.code} ${f.title}`, 'warn');
    }
    await Promise.all(
      plan.nodes
        .filter((n) => n.bmc)
        .map((n) =>
          measure(`${n.host}, BMC ${n.bmc}`, async () => {
            const host = estate.hosts.find((h) => h.name === n.host);
            ctx.dialer.forget(n.bmc as string);
            return `answers, power ${await powerState(await bmcFor(ctx, { document: `Host ${n.host}`, address: n.bmc as string }, host?.bmc?.fingerprint, host?.bmc?.credential ?? '', signal))}`;
          }),
        ),
    );
    for (const name of new Set(plan.nodes.flatMap((n) => (n.guest ? [n.guest.hypervisor] : []))))
      await measure(`hypervisor ${name}`, () => roomAt(ctx, plan, estate, name));
    for (const server of plan.site ? serverList(plan.site.resolvers).servers : [])
      await measure(`resolver ${server}`, async () => {
        await lookup({ address: server, exits: ctx.dialer.exits, purpose: 'resolver' }, plan.site?.domain ?? '', 'NS');
        return 'answers';
      });
    const mirror = plan.mirror;
    if (mirror)
      await measure(`mirror ${mirror.endpoint}`, async () => {
        const r = await openRegistry(ctx, mirror, signal);
        ctx.dialer.forget(targetOf(r).host);
        await ping(r);
        return 'answers, certificate and credentials good';
      });
    if (mirror && !wrong.length)
      await measure('images', async () => {
        const bills = plan.images.names.flatMap((n) => estate.observed.bills[n] ?? []);
        const lack = missing(bills, heldBy(await lookAt(ctx, mirror.name), mirror));
        if (lack.images.length)
          throw new Error(
            `${counted(lack.blobs, 'layer')} of ${counted(lack.images.length, 'image')} missing at ${mirror.endpoint} under their names`,
          );
        return `${plan.images.blobs} of ${plan.images.blobs} layers are there`;
      });
    const boots = mirror && !wrong.length && plan.nodes.some((n) => n.bmc);
    if (boots)
      await measure('boot program', async () => {
        const { size } = await bootProgram(ctx, plan, estate, '', signal);
        return `${bytesText(size)} for firmware, made of the release's stub, kernel and initial file system`;
      });
    if (boots)
      await measure('system', async () => {
        const s = await systemLacks(ctx, plan, estate, signal);
        if (!s) return 'its contents are not told: whether it has what the kit asks shows at the first boot';
        if (s.lacks.length) throw new Error(`the system of release ${plan.charter.release} has ${s.lacks.join('; ')}`);
        return `${s.packages} packages; it has what the kit asks`;
      });
    if (ctx.config.publicUrl.startsWith('http:') && plan.nodes.length)
      await log(
        `kit: it travels over plain HTTP from ${ctx.config.publicUrl}: whoever reads along on ${plan.network?.name ?? 'that network'} has the cluster's keys. Keep others off that network while it is built.`,
        'warn',
      );
    const overTls = ctx.config.publicUrl.startsWith('https:');
    if (overTls) await measure(`kit ${ctx.config.publicUrl}`, () => askOverTls(ctx, signal));
    const byPxe = plan.nodes.filter((n) => estate.hosts.find((h) => h.name === n.host)?.bmc?.boot === 'pxe').map((n) => n.host);
    if (byPxe.length) {
      await log(
        `PXE: until they start from their disks, whoever shows the address of an adapter of ${byPxe.join(', ')} in ${plan.network?.name ?? 'their network'} is given their kit.`,
        'warn',
      );
      if (overTls)
        wrong.push(
          `${byPxe.join(', ')} ${byPxe.length === 1 ? 'starts' : 'start'} by PXE, and Debian's iPXE takes no authority of ours: it loads nothing over TLS; let them start over HTTP or from virtual media`,
        );
      if (ctx.config.tftpPort === undefined)
        await log(
          'PXE: this server gives out no first program (PRAESIDOR_TFTP_PORT is not set); another TFTP server has to: ipxe.efi.',
          'warn',
        );
    }
    for (const n of plan.nodes) if (!isIp(n.address)) wrong.push(`${n.host} has no address`);
    if (wrong.length)
      throw new StepFailure(
        `${counted(wrong.length, 'thing is', 'things are')} not as the build needs: ${wrong.slice(0, 3).join('; ')}`,
        'Mend what is named, then resume: nothing has been touched yet.',
      );
    return 'everything measured is good';
  },
};
