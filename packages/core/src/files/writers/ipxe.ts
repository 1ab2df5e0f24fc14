import type { PlannedNode } from '../../charter/plan.ts';
import { machineId } from './disks.ts';
import { file, type KitContext, type KitFile } from '../kit.ts';

/** From where a host starts, and takes its first-boot data: the network, a medium that its controller plays, or its own disk. */
export type StartsFrom = 'network' | 'media' | 'disk';

/**
 * What the kernel of a host is told: where first-boot data come from, and who it is. No address stands there: cloud-init would
 * take it for the whole network configuration. `praesidor.files` is read by the script that lays out disks: where what the disk
 * starts from is fetched.
 */
export const kernelLine = (ctx: KitContext, host: string, from: StartsFrom): string =>
  `${dataFrom(ctx, host)[from]} systemd.machine_id=${machineId(ctx, host)}`;
const dataFrom = (ctx: KitContext, host: string): Record<StartsFrom, string> => ({
  network: `ds=nocloud-net;s=${ctx.bootUrl(host)}/`,
  media: `ds=nocloud praesidor.files=${ctx.bootUrl(host)}/`,
  disk: 'ds=nocloud',
});

const startOf = (ctx: KitContext, host: string): StartsFrom =>
  ctx.estate.hosts.find((h) => h.name === host)?.bmc?.boot === 'media' ? 'media' : 'network';

/** The same as files: what the programs are given that firmware boots. */
export const commandLine = (ctx: KitContext, node: PlannedNode): KitFile[] => [
  file(
    `hosts/${node.host}/kernel.cmdline`,
    kernelLine(ctx, node.host, startOf(ctx, node.host)),
    ['charter.release', 'host.bmc.boot', 'build'],
    true,
  ),
  ...(node.guest
    ? []
    : [file(`hosts/${node.host}/disk.cmdline`, kernelLine(ctx, node.host, 'disk'), ['charter.release', 'build'])]),
];

/** The network boot script of a host, for iPXE: kernel and initial file system, first-boot data from the same place. */
export function ipxe(ctx: KitContext, node: PlannedNode): KitFile[] {
  const base = ctx.bootUrl(node.host);
  const lines = [
    '#!ipxe',
    `# ${node.host}, ${node.role} of ${ctx.plan.charter.name}`,
    `kernel ${base}/kernel initrd=initrd ${kernelLine(ctx, node.host, 'network')} || goto failed`,
    `initrd --name initrd ${base}/initrd || goto failed`,
    'boot || goto failed',
    ':failed',
    `echo ${node.host} could not boot; the next try is in 30 seconds`,
    'sleep 30',
    `chain ${base}/boot.ipxe`,
  ];
  return [file(`hosts/${node.host}/boot.ipxe`, lines.join('\n'), ['charter.release', 'build'], true)];
}
